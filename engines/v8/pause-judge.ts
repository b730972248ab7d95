import type { Channel } from './channel.js';
import type { EngineStops } from './engine-stops.js';
import { isError } from './errors.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import type { PausedThread } from './paused.js';
import type { Program } from './program.js';
import { type Paused, scriptSourceSchema } from './protocol.js';
import type { Scripts } from './scripts.js';
import { HELPER, HITS } from './splice/code.js';
import type { Position } from './splice/rewrite.js';
import type { Splicer } from './splicer.js';

/** Says what a pause of the engine is: for which marks, or of our own making. */
export class PauseJudge {
  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
    private readonly splicer: Splicer,
    private readonly stops: EngineStops,
    private readonly program: Program,
  ) {}

  /** The marks that a pause is to stop for. */
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
      const marks = this.splicer.marksAt(script, position);
      const hit = marks.length > 1 ? await stop.numbers(HITS) : marks.map(({ code }) => code);
      const those = script.isAtDebugger(position)
        ? marks.filter((mark) => hit.includes(mark.code) && present.has(mark))
        : [];
      for (const mark of those) {
        mark.hits += 1;
      }
      return those;
    }
    const stops = this.stops.at(paused.hitBreakpoints);
    const asked = stops.some(({ isPlain }) => !isPlain) ? await stop.numbers(`${HELPER}.takeStops()`) : [];
    const those = stops.flatMap(({ marks, isPlain }) =>
      isPlain ? marks : marks.filter(({ code }) => asked.includes(code)),
    );
    for (const mark of those) {
      mark.hits += 1;
    }
    return those;
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
