import { existsSync } from 'node:fs';
import type { Duplex } from 'node:stream';
import { allTargets, targetsHere } from '../../runtimes/list.js';
import { AmberError, exitCodeOf } from '../core/errors.js';
import { LocalState, projectFolder } from '../core/project/project.js';
import { ProjectFile, type ProjectSettings } from '../core/project/project-file.js';
import { Session, type SessionOptions } from '../core/session/session.js';
import { PathMap } from '../core/source/path-map.js';
import { Veil } from '../core/veil.js';
import type { Given } from '../targets/find.js';
import type { Target } from '../targets/target.js';
import { systemClock } from './clock.js';
import { type LineFile, openFile, openWireLog } from './context.js';
import { JoinedForks } from './forks.js';
import { addMark, type ReadMark, readMark } from './prompt/commands/marks.js';
import { ProjectState } from './prompt/project.js';
import type { TargetBench, TargetFacts } from './prompt/target-bench.js';
import { Workbench } from './prompt/workbench.js';
import type { Output } from './render/output.js';
import { Suspension } from './suspension.js';

/** Options that `attach` and `launch` share. */
export interface SessionCommandOptions {
  json?: boolean;
  /** Marks, as they would be typed at the prompt. */
  break?: string[];
  log?: string[];
  count?: string[];
  commands?: string;
  strict?: boolean;
  wireLog?: string;
  foreign?: string[];
  out?: string;
  unveil?: boolean;
  /** The agent may be brought into what was started without it. */
  yes?: boolean;
  /** Neither what a target starts nor what takes its place. */
  alone?: boolean;
  /** Only requests that this user sends with amber (PHP). */
  onlyMine?: boolean;
  /** `HOST:PORT` of a browser whose pages are not found by themselves. */
  browser?: string;
  /** Where the scripts of a php-fpm are that was started without the agent. */
  documentRoot?: string;
  /** Seconds after which a pause goes by itself. */
  releaseAfter?: string;
  /** False: nothing may pause the program, or change it. */
  pause?: boolean;
  /** Targets tell every request that they serve (`amber trace`). */
  tellsRequests?: boolean;
}

/** @throws AmberError `AL_USAGE` where commands are to be read from a file that is not there */
export function checkCommands({ commands }: Pick<SessionCommandOptions, 'commands'>): void {
  if (commands !== undefined && !existsSync(commands)) {
    throw new AmberError('AL_USAGE', `there is no file ${commands} to read commands from`);
  }
}

/** Whether somebody sits here who can be asked: nothing else is read from our input, or reads what we print. */
export function isAtTerminal({ commands, json }: Pick<SessionCommandOptions, 'commands' | 'json'>): boolean {
  return process.stdin.isTTY === true && commands === undefined && json !== true;
}

/** Seconds that a pause may last at most where it goes by itself: a day. */
const MOST_RELEASE = 86_400;
/** How often an endpoint that closed just as we came is tried again. */
const ATTEMPTS = 3;

/** How one target is reached. */
export interface TargetOpening {
  connect: () => Promise<Duplex>;
  target: TargetFacts;
  attach: Record<string, unknown>;
  request?: 'attach' | 'launch';
  reverse?: SessionOptions['reverse'];
  /** The target that started it. */
  parent?: TargetBench;
}

/** The prompt with its targets, from opening the first to closing the last. */
export class PromptSession {
  readonly bench: Workbench;
  readonly local: LocalState;
  readonly suspension: Suspension;
  readonly options: SessionCommandOptions;
  readonly #project: ProjectState;
  readonly #paths: PathMap;
  /** The marks of the command line. */
  readonly marks: readonly ReadMark[];
  readonly #out: LineFile | undefined;
  readonly #wire: ReturnType<typeof openWireLog>;
  #forks: JoinedForks | undefined;
  /** Why a file that was asked for is not whole. */
  #unwritten: AmberError | undefined;

  constructor(output: Output, options: SessionCommandOptions) {
    this.options = options;
    this.marks = readMarks(options);
    const failed = (error: AmberError) => {
      this.#unwritten = error;
      this.bench.announce(() => output.error(error));
    };
    const project = projectFolder(process.cwd());
    const folders = { current: process.cwd(), project };
    this.local = new LocalState(project);
    this.#out = options.out === undefined ? undefined : openFile(options.out, 'what logpoints tell', failed);
    this.bench = new Workbench({
      output,
      clock: systemClock,
      folders,
      onlyLooks: options.pause === false,
      ...(this.#out ? { recordHit: this.#out.write } : {}),
    });
    this.suspension = new Suspension(this.bench);
    this.#project = new ProjectState(ProjectFile.read(project), this.local, folders);
    const { foreign, paths } = this.#project.file.settings;
    this.bench.releaseAfter = releaseTime(options.releaseAfter, this.#project.file.settings.releaseAfter);
    this.bench.foreign = [...foreign, ...(options.foreign ?? [])];
    this.#paths = new PathMap(paths, project);
    this.bench.project = this.#project;
    this.bench.veil = new Veil(this.veil);
    this.#wire = openWireLog(options.wireLog, this.bench.veil, failed);
    for (const told of this.#project.load(this.bench.marks)) {
      output.remark(output.palette.waiting(told));
    }
  }

  /** What its targets fork, from the first that is asked for on. */
  get forks(): JoinedForks {
    this.#forks ??= new JoinedForks(this);
    return this.#forks;
  }

  /** What runs here, with the names that amber.yaml gives. */
  findTargets(): Target[] {
    return targetsHere(process.env, this.given);
  }

  /** The same with those that are no processes of their own. */
  findAllTargets(): Promise<Target[]> {
    return allTargets(process.env, this.given, this.options);
  }

  /** The targets that amber.yaml describes. */
  get given(): Given {
    return { targets: this.settings.targets, folder: this.bench.folders.project };
  }

  /** What amber.yaml says. */
  get settings(): ProjectSettings {
    return this.#project.file.settings;
  }

  /** Connects to a target, does the handshake, and adds it to the prompt. @throws AmberError */
  async open(opening: TargetOpening): Promise<TargetBench> {
    const { foreign } = this.bench;
    for (let attempt = 1; ; attempt += 1) {
      const session = new Session(await opening.connect(), {
        clock: systemClock,
        paths: opening.target.root ? this.#paths.within(opening.target.root) : this.#paths,
        attach: { ...this.#ours(opening), ...opening.attach, ...(foreign.length > 0 ? { foreign } : {}) },
        ...(opening.request ? { request: opening.request } : {}),
        ...(opening.reverse ? { reverse: opening.reverse } : {}),
        ...(this.#wire.log ? { wireLog: this.#wire.log } : {}),
      });
      const target = this.bench.add(session, opening.target, opening.parent);
      if (opening.parent === undefined) {
        for (const expression of this.#project.file.settings.watches) {
          target.watches.add(expression);
        }
      }
      try {
        await session.open(() => target.sync.send());
        return target;
      } catch (error) {
        this.bench.remove(target);
        const isGone = error instanceof AmberError && error.code === 'AL_TARGET_GONE';
        if (!isGone || attempt === ATTEMPTS || opening.request === 'launch') {
          throw error;
        }
      }
    }
  }

  /** Sets the marks of the command line, in every target. @throws AmberError the first that failed */
  async setMarks(): Promise<void> {
    for (const mark of this.marks) {
      await addMark(this.bench, mark, undefined, true);
    }
  }

  /** Tells what nobody has asked for, beside the line that is being typed. */
  tell(text: string): void {
    const { bench } = this;
    bench.announce(() => bench.output.remark(bench.output.palette.faint(text)));
  }

  /** What our own agents and adapters are to know: which values to hide, and whether to tell of requests. */
  #ours({ target }: TargetOpening): Record<string, unknown> {
    const requests = this.options.tellsRequests === true ? { requests: true, output: true } : {};
    const { hold, traceTo } = this.settings;
    const traced = target.runtime === 'page' ? { traceTo } : {};
    const edits = process.env.AMBER_LIVE_EDIT === 'off' ? { liveEdit: false } : {};
    return target.runtime === undefined && target.isOurs !== true
      ? {}
      : { veil: this.veil, ...requests, ...(hold ? { hold } : {}), ...edits, ...traced };
  }

  /** Which names hide their values. */
  get veil(): { names: string[]; off: boolean } {
    return { names: this.settings.veil, off: this.options.unveil === true };
  }

  /** The exit code where a file that was asked for is not whole; 0 otherwise. */
  get codeOfFiles(): number {
    return this.#unwritten === undefined ? 0 : exitCodeOf(this.#unwritten.code);
  }

  close(): void {
    this.#forks?.close();
    this.suspension.end();
    this.#out?.close();
    this.#wire.close();
  }
}

/** Milliseconds after which a pause goes by itself. @throws AmberError `AL_USAGE` */
function releaseTime(option: string | undefined, inFile: number | undefined): number | undefined {
  if (option === undefined) {
    return inFile === undefined ? undefined : inFile * 1000;
  }
  const seconds = Number(option);
  if (!(seconds > 0 && seconds <= MOST_RELEASE)) {
    throw new AmberError(
      'AL_USAGE',
      `--release-after ${option} is no time`,
      `seconds, as in --release-after 5`,
    );
  }
  return seconds * 1000;
}

/** @throws AmberError `AL_PLACE`, before anything is attached to */
function readMarks({ break: breaks = [], log = [], count = [] }: SessionCommandOptions): ReadMark[] {
  return [
    ...breaks.map((text) => readMark(text, 'break')),
    ...log.map((text) => readMark(text, 'log')),
    ...count.map((text) => readMark(text, 'count')),
  ];
}
