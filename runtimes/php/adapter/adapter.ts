import type { Duplex } from 'node:stream';
import { z } from 'zod';
import * as asked from '../../../src/adapters/arguments.js';
import { DapServer, RequestError, type RequestHandler } from '../../../src/adapters/dap-server.js';
import { globPattern } from '../../../src/adapters/foreign.js';
import { inspection } from '../../../src/adapters/inspection.js';
import { typesIn } from '../../../src/adapters/wanted.js';
import { Veil } from '../../../src/core/veil.js';
import { CAPABILITIES } from './capabilities.js';
import { Checker } from './checker.js';
import { ConnectedRequests, exceptionInfo } from './connected-requests.js';
import { Listener } from './listener.js';
import { MarkRequests } from './mark-requests.js';
import { plannedMarks } from './marks.js';
import { type Plan, PlanFolder } from './plan.js';
import { StepPoints } from './step-points.js';
import { Telling } from './telling.js';

/** Milliseconds between looks whether the process is there still. */
const LOOK = 500;
/** Milliseconds from one look at what ended requests have told to the next. */
const TOLD = 25;
/** Code that is not the project's own: installed packages and the machine's libraries. */
const FOREIGN_PATTERNS = ['/vendor/', '^/usr/(share|lib)/', '^phar:'];

const attachSchema = z.object({
  ...asked.attachFields,
  /** The process: a server, the master of php-fpm, a script. Without it only other engines connect, to `listen`. */
  pid: z.number().int().optional(),
  /** Where engines of any make may connect: `HOST:PORT`. */
  listen: z.string().optional(),
  /** Only requests whose `tracestate` says so. */
  only: z.string().optional(),
  stopOnEntry: z.boolean().optional(),
});

/** What the adapter has to be told of the machine. */
export interface PhpHost {
  runFolder: string;
  /** A PHP that looks at files for us, and the folder in which functions are looked for. */
  facts(pid: number): {
    command: string;
    folder: string;
    isScript: boolean;
    /** What is said until a request has run our gate; empty where it is known that they do. */
    unread: string;
    isAlive: () => boolean;
  };
}

/** Puts DAP on the requests of one PHP process: each is a connection of DBGp, and a thread. */
export class PhpAdapter {
  readonly #server: DapServer;
  readonly #listener = new Listener((socket) => this.#requests.connect(socket));
  readonly #requests: ConnectedRequests;
  #folder: PlanFolder | undefined;
  #checker: Checker | undefined;
  #project = '.';
  readonly #marks = new MarkRequests({
    checker: () => this.#checker,
    project: () => this.#project,
    hasLoaded: () => this.#hasLoaded,
    unread: () => (this.#plan.asks && this.#folder?.isRead !== true ? this.#unread : ''),
    changed: () => this.#changed(),
    gone: ({ id }) => this.#folder?.forget(id),
  });
  readonly #points = new StepPoints({
    plan: () => this.#plan,
    arm: () => this.#arm(),
    changed: () => this.#changed(),
    say: (text) => this.#server.event('output', { category: 'important', output: `amber: ${text}\n` }),
  });
  #plan: Plan = {
    files: {},
    functions: [],
    requests: [],
    sends: [],
    errors: [],
    near: false,
    stepped: [],
    entry: false,
    foreign: FOREIGN_PATTERNS,
    veil: { names: [], off: false },
    only: null,
    tells: false,
    asks: false,
  };
  /** Whether the program is a script that has loaded its files before we came. */
  #unread = '';
  #hasLoaded = false;
  #isAmber = false;
  #isConfigured = false;
  #isLeaving = false;
  #watch: NodeJS.Timeout | undefined;
  #telltale: NodeJS.Timeout | undefined;
  readonly #telling: Telling;

  /** Done when the client has gone and nothing is armed any more. */
  readonly left: Promise<void>;
  #hasLeft: () => void = () => undefined;

  constructor(
    stream: Duplex,
    private readonly host: PhpHost,
  ) {
    this.left = new Promise((resolve) => {
      this.#hasLeft = resolve;
    });
    this.#server = new DapServer(stream, this.#handlers(), () => void this.#leave());
    this.#requests = new ConnectedRequests({
      server: this.#server,
      marks: this.#marks,
      telling: () => this.#telling,
      isAmber: () => this.#isAmber,
      stopped: (thread) => this.#points.stopped(thread),
      connecting: () => this.#takeTold(),
      entered: () => this.#entered(),
    });
    this.#telling = new Telling(this.#server, {
      marks: () => this.#marks.all,
      isAmber: () => this.#isAmber,
      tellsAll: () => this.#plan.tells,
    });
  }

  #handlers(): ReadonlyMap<string, RequestHandler> {
    const handlers: Record<string, RequestHandler> = {
      initialize: (args) => this.#initialize(args),
      attach: (args) => this.#attach(args),
      configurationDone: async () => {
        this.#isConfigured = true;
        this.#arm();
        return undefined;
      },
      disconnect: async () => {
        await this.#leave();
        return undefined;
      },
      amberHeartbeat: async () => undefined,
      amberMarks: async () => {
        this.#takeTold();
        this.#telling.tellLeft(this.#folder?.takeLeft() ?? []);
        await this.#lookForReader();
        await this.#points.look(this.#folder);
        return this.#counts();
      },
      amberForeign: async (args) => {
        const { globs } = z.object({ globs: z.array(z.string()) }).parse(args);
        this.#plan.foreign = [...FOREIGN_PATTERNS, ...globs.map(globPattern)];
        await this.#changed();
        return undefined;
      },
      amberResponse: async (args) => ({ response: await this.#requests.stopped(args).response() }),
      ...this.#marks.handlers(),
      setExceptionBreakpoints: (args) => this.#setErrors(args),
      breakpointLocations: (args) => this.#lines(args),
      loadedSources: () => this.#sources(),
      threads: async () => ({ threads: this.#requests.all.map(({ id, name }) => ({ id, name })) }),
      exceptionInfo: async (args) => exceptionInfo(this.#requests.stopped(args)),
      continue: (args) => this.#go(args, 'run'),
      next: (args) => this.#go(args, 'step_over'),
      stepIn: (args) => this.#go(args, 'step_into'),
      stepOut: (args) => this.#go(args, 'step_out'),
      pause: async () => {
        // A request that runs looks now and then whether something else is wanted; the next one stops at its first line.
        this.#plan.entry = true;
        await this.#changed();
        return undefined;
      },
      ...inspection(
        (args) => this.#requests.stopped(args),
        (number) => this.#requests.with(number),
      ),
    };
    return new Map(Object.entries(handlers));
  }

  async #initialize(args: unknown): Promise<object> {
    this.#isAmber = z.object({ amber: z.object({}).optional() }).parse(args ?? {}).amber !== undefined;
    const amber = {
      version: 1,
      runtime: 'php',
      requests: true,
      sends: true,
      follow: true,
      foreign: true,
      response: true,
      threads: 'requests',
    };
    return this.#isAmber ? { ...CAPABILITIES, amber } : CAPABILITIES;
  }

  async #attach(args: unknown): Promise<undefined> {
    const { pid, listen, foreign = [], veil, only, stopOnEntry, requests } = attachSchema.parse(args);
    this.#server.veil = new Veil(veil);
    if (pid === undefined && listen === undefined) {
      throw new RequestError('noProgram', 'attach needs `pid`, or `listen` for engines of any make');
    }
    this.#plan = {
      ...this.#plan,
      foreign: [...FOREIGN_PATTERNS, ...foreign.map(globPattern)],
      veil: { names: veil?.names ?? [], off: veil?.off === true },
      only: only ?? null,
      tells: requests === true && this.#isAmber,
      entry: stopOnEntry === true,
    };
    if (pid !== undefined) {
      const { command, folder, isScript, unread, isAlive } = this.host.facts(pid);
      this.#plan.asks = unread !== '';
      this.#unread = unread;
      this.#hasLoaded = isScript && stopOnEntry !== true;
      this.#checker = new Checker(command);
      this.#project = folder;
      this.#folder = new PlanFolder(this.host.runFolder, pid);
      await this.#listener.listenAt(this.#folder.socket);
      this.#folder.open();
      this.#watch = setInterval(() => {
        this.#telling.tellLeft(this.#folder?.takeLeft() ?? []);
        void this.#lookForReader();
        void this.#points.look(this.#folder);
        if (!isAlive()) {
          this.#end();
        }
      }, LOOK);
      this.#watch.unref();
      this.#telltale = setInterval(() => this.#takeTold(), TOLD);
      this.#telltale.unref();
    }
    if (listen !== undefined) {
      await this.#listener.listenOn(listen);
    }
    this.#server.event('initialized');
    return undefined;
  }

  /** From here on requests see what is wanted. */
  #arm(): void {
    if (!this.#isConfigured || this.#isLeaving) {
      return;
    }
    this.#plan = { ...this.#plan, ...plannedMarks(this.#marks.all) };
    this.#folder?.write(this.#plan);
  }

  /** Tells of requests that have ended and were not connected. */
  #takeTold(): void {
    const lines = this.#folder?.takeTold() ?? [];
    if (lines.length > 0) {
      this.#telling.tellOver(lines, () => this.#requests.nextId());
    }
  }

  /** As soon as a request has read the plan, it is known that they do. */
  async #lookForReader(): Promise<void> {
    if (!this.#plan.asks || this.#folder?.isRead !== true) {
      return;
    }
    this.#plan.asks = false;
    for (const mark of this.#marks.all) {
      mark.unread = '';
      this.#server.event('breakpoint', { reason: 'changed', breakpoint: mark.describe() });
    }
    await this.#changed();
  }

  #entered(): void {
    if (this.#plan.entry) {
      // One request was asked for.
      this.#plan.entry = false;
      void this.#changed();
    }
  }

  async #changed(): Promise<void> {
    this.#arm();
    await this.#requests.readPlan();
  }

  async #setErrors(args: unknown): Promise<object> {
    const { filters, filterOptions } = asked.filtersSchema.parse(args);
    const all = [...filters.map((filterId) => ({ filterId, condition: '' })), ...filterOptions];
    this.#plan.errors = all.map(({ filterId, condition = '' }) => ({
      filter: filterId,
      types: typesIn(condition),
    }));
    await this.#changed();
    return { breakpoints: all.map(() => ({ verified: true })) };
  }

  async #lines(args: unknown): Promise<object> {
    const { source, line, endLine = line } = asked.linesSchema.parse(args);
    const lines = (await this.#checker?.lines(source.path)) ?? [];
    return {
      breakpoints: lines.filter((at) => at >= line && at <= endLine).map((at) => ({ line: at })),
    };
  }

  /** A request loads what it needs anew: only while one is paused there is somebody to ask. */
  async #sources(): Promise<object> {
    const [paused] = this.#requests.all.filter(({ isStopped }) => isStopped);
    if (paused === undefined) {
      throw new RequestError(
        'notStopped',
        'PHP loads its files anew for each request; ask while one is paused',
      );
    }
    const foreign = this.#plan.foreign.map((pattern) => new RegExp(pattern));
    const hint = (path: string) =>
      foreign.some((one) => one.test(path)) ? { presentationHint: 'deemphasize' } : {};
    return { sources: (await paused.files()).map((path) => ({ path, ...hint(path) })) };
  }

  async #go(args: unknown, command: 'run' | 'step_into' | 'step_over' | 'step_out'): Promise<undefined> {
    if (asked.stepInSchema.parse(args).amberAnywhere) {
      const text = 'code that is not the project’s cannot be stepped into: it has no points to stop at';
      throw new RequestError('notSupported', text);
    }
    this.#requests.stopped(args).go(command);
    return undefined;
  }

  #counts(): object {
    return { marks: this.#marks.all.map((mark) => ({ id: mark.id, ...mark.counts })) };
  }

  /** The process has ended. */
  #end(): void {
    clearInterval(this.#watch);
    this.#takeTold();
    this.#telling.tellLeft(this.#folder?.takeLeft() ?? []);
    if (this.#isAmber) {
      this.#server.event('amberCounts', this.#counts());
    }
    this.#server.event('terminated');
    void this.#leave();
  }

  async #leave(): Promise<void> {
    if (this.#isLeaving) {
      return;
    }
    this.#isLeaving = true;
    clearInterval(this.#watch);
    clearInterval(this.#telltale);
    this.#takeTold();
    // First nothing new begins, then what is held goes on.
    this.#telling.tellLeft(this.#folder?.takeLeft() ?? []);
    this.#telling.tellLeft(this.#folder?.takeLeft() ?? []);
    this.#folder?.remove();
    this.#folder = undefined;
    await this.#requests.detach();
    this.#listener.close();
    this.#checker?.close();
    this.#hasLeft();
    this.#server.end();
  }
}
