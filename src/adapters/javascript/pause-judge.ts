import { takes } from '../../core/marks/emulation.js';
import type { Channel } from './channel.js';
import { isError } from './errors.js';
import type { Mark } from './marks.js';
import type { PausedThread } from './paused.js';
import { type Paused, scriptSourceSchema } from './protocol.js';
import type { LoadedScript, Scripts } from './scripts.js';
import { HELPER, HITS } from './splice/code.js';
import type { Position } from './splice/rewrite.js';
import type { Splicer } from './splicer.js';
import type { Hit, Program } from './thread.js';

/** Says what a pause of the engine is: for which marks, or of our own making. */
export class PauseJudge {
  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
    private readonly splicer: Splicer,
    private readonly program: Program,
    /** A mark has another state; a logpoint that the engine carries out was passed. */
    private readonly tell: { changed(mark: Mark): void; hit(hit: Hit): void },
  ) {}

  /** The marks that a pause is to stop for; those that only tell or count have then done so. */
  async marksThatStop(
    stop: PausedThread,
    script: LoadedScript | undefined,
    position: Position,
    paused: Paused,
  ): Promise<Mark[]> {
    if (script === undefined || isError(paused)) {
      return [];
    }
    if (script.isInserted(position)) {
      // A mark that has gone may be in a running function still.
      const present = new Set(this.program.marks());
      const marks = this.splicer.marksAt(script, position, []);
      const hit = marks.length > 1 ? await stop.numbers(HITS) : marks.map(({ id }) => id);
      const those = script.isAtDebugger(position)
        ? marks.filter((mark) => hit.includes(mark.id) && present.has(mark))
        : [];
      for (const mark of those) {
        mark.hits += 1;
      }
      return those;
    }
    const those: Mark[] = [];
    for (const mark of this.splicer.marksAt(script, position, paused.hitBreakpoints)) {
      if (await this.#isHit(stop, mark)) {
        those.push(mark);
      }
    }
    return those;
  }

  /** A pass at one of the engine's breakpoints. Logpoints and counters are served here and do not stop. */
  async #isHit(stop: PausedThread, mark: Mark): Promise<boolean> {
    const { kind } = mark.wanted;
    const asked = mark.isAtRequests ? 'first' : 'mine';
    const requests = mark.requests === null ? [] : [`${HELPER}.${asked}(${mark.id})`];
    const condition = [...requests, ...(mark.wanted.condition ? [`(${mark.wanted.condition})`] : [])].join(
      ' && ',
    );
    if (condition) {
      const told = await stop.test(condition);
      if (told instanceof Error) {
        mark.countError(told.message);
        this.tell.changed(mark);
      }
      if (told !== true) {
        return false;
      }
    }
    mark.passes += 1;
    if (mark.rule !== undefined && !takes(mark.rule, mark.passes)) {
      return false;
    }
    mark.hits += 1;
    if (kind === 'log') {
      const time = Math.round(performance.now() * 1000);
      const told = await stop.texts(mark.values).catch((error: Error) => error);
      if (told instanceof Error) {
        mark.countError(told.message);
        this.tell.hit({ mark, seq: mark.hits, time, values: [], error: told.message });
      } else {
        this.tell.hit({ mark, seq: mark.hits, time, values: told });
      }
    }
    return kind === 'break';
  }

  /** Whether an error comes from an expression of ours: it is counted there and is not the program's. */
  isInsideOurs(paused: Paused): boolean {
    return paused.callFrames.some(({ location }) =>
      this.scripts
        .get(location.scriptId)
        ?.isInserted({ line: location.lineNumber, column: location.columnNumber }),
    );
  }

  /** Whether a pause is at a `debugger` that a client before us could not take out. */
  async isLeftover({ callFrames: [top] }: Paused): Promise<boolean> {
    const script = this.scripts.get(top?.location.scriptId ?? '');
    if (top === undefined || script === undefined || !this.splicer.isLeft(script)) {
      return false;
    }
    const args = { scriptId: script.id };
    const { scriptSource } = await this.channel.send('Debugger.getScriptSource', args, scriptSourceSchema);
    const line = scriptSource.split('\n')[top.location.lineNumber] ?? '';
    return line.slice(top.location.columnNumber).startsWith('debugger}') && line.includes(HELPER);
  }
}
