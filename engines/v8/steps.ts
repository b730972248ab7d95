import type { Channel } from './channel.js';
import {
  anythingSchema,
  breakpointIdSchema,
  type CallFrame,
  type Location,
  type Paused,
  possibleSchema,
  scriptSourceSchema,
} from './protocol.js';
import type { Scripts } from './scripts.js';

/** What the engine's own steps do not do: wait for an await, stay out of Node's hooks, go by source lines. */
export class Steps {
  /** Breakpoints of a step that waits for an await. */
  readonly #passing: string[] = [];
  /** Whether the step under way may end in foreign code too. */
  #anywhere = false;
  /** Where the step began, as people see it: a source line may be several pieces of generated code. */
  #began: { place: string; functionName: string } | undefined;
  /** The line that it began on, in the script, and its function. */
  #line: { scriptId: string; lineNumber: number; functionName: string } | undefined;

  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
  ) {}

  begin(frame: CallFrame | undefined, anywhere: boolean): void {
    this.#anywhere = anywhere;
    this.#line = frame && { ...frame.location, functionName: frame.functionName };
    this.#began =
      frame && this.#isMapped(frame)
        ? { place: this.#placeOf(frame), functionName: frame.functionName }
        : undefined;
  }

  /**
   * Over a line that awaits, the engine would step to whoever runs meanwhile. There the step is a run to the
   * lines further down in the same function, whichever comes first (another call of it may come first, too).
   * @returns whether those lines are set, so that the program is to be resumed rather than stepped
   */
  async prepareAwait(location: Location | undefined): Promise<boolean> {
    for (const at of location ? await this.#linesAfterAwait(location) : []) {
      const set = await this.channel
        .send('Debugger.setBreakpoint', { location: at }, breakpointIdSchema)
        .catch(() => undefined);
      if (set !== undefined) {
        this.#passing.push(set.breakpointId);
      }
    }
    return this.#passing.length > 0;
  }

  /** Takes the breakpoints of the step away. */
  async drop(): Promise<void> {
    for (const breakpointId of this.#passing.splice(0)) {
      await this.channel
        .send('Debugger.removeBreakpoint', { breakpointId }, anythingSchema)
        .catch(() => undefined);
    }
  }

  /**
   * Whether a step has ended where nobody wants to be: in Node's own hooks, which are entered now and then
   * though their code is passed over, in generated code that has no source, or on the line it began on. A `return` is two
   * places to the engine: where it begins, and where its value is there.
   */
  endsBetweenLines(paused: Paused): boolean {
    const [frame] = paused.callFrames;
    if (frame === undefined || this.#anywhere) {
      return false;
    }
    return (
      this.scripts.isForeignCode(frame) ||
      !this.#hasSource(frame) ||
      this.#isWhereItBegan(frame) ||
      this.#isItsReturn(frame)
    );
  }

  /** From there: out to the project's code that called it, or on; where none did, the program runs on. */
  wayBack(paused: Paused): 'Debugger.stepOut' | 'Debugger.stepOver' | 'Debugger.resume' {
    const [frame] = paused.callFrames;
    if (frame !== undefined && !this.scripts.isForeignCode(frame)) {
      return 'Debugger.stepOver';
    }
    const isCalled = paused.callFrames.some((caller) => !this.scripts.isForeignCode(caller));
    return isCalled ? 'Debugger.stepOut' : 'Debugger.resume';
  }

  #isWhereItBegan(frame: CallFrame): boolean {
    return (
      this.#isMapped(frame) &&
      this.#began?.place === this.#placeOf(frame) &&
      this.#began.functionName === frame.functionName
    );
  }

  /** Of mapped code its source lines decide: all of a function may be one line of what was made from it. */
  #isItsReturn(frame: CallFrame): boolean {
    const { scriptId, lineNumber } = frame.location;
    const { functionName, returnValue } = frame;
    const line = this.#line;
    return (
      returnValue !== undefined &&
      !this.#isMapped(frame) &&
      line?.scriptId === scriptId &&
      line.lineNumber === lineNumber &&
      line.functionName === functionName
    );
  }

  #isMapped({ location }: CallFrame): boolean {
    return this.scripts.get(location.scriptId)?.map !== undefined;
  }

  #placeOf({ location }: CallFrame): string {
    const place = this.scripts
      .get(location.scriptId)
      ?.original({ line: location.lineNumber, column: location.columnNumber });
    return `${place?.path}:${place?.line}`;
  }

  #hasSource({ location }: CallFrame): boolean {
    const script = this.scripts.get(location.scriptId);
    return (
      script === undefined || script.isMapped({ line: location.lineNumber, column: location.columnNumber })
    );
  }

  /** Where the function goes on after the line of `location`, if that line awaits. */
  async #linesAfterAwait(location: Location): Promise<Location[]> {
    const { scriptId, lineNumber } = location;
    const { scriptSource } = await this.channel.send(
      'Debugger.getScriptSource',
      { scriptId },
      scriptSourceSchema,
    );
    if (!/\bawait\b/.test(scriptSource.split('\n')[lineNumber] ?? '')) {
      return [];
    }
    const range = { start: location, restrictToFunction: true };
    const { locations } = await this.channel.send('Debugger.getPossibleBreakpoints', range, possibleSchema);
    const later = locations.filter((at) => at.lineNumber > lineNumber);
    // One a line is enough: the first.
    return later.filter((at, index) => later[index - 1]?.lineNumber !== at.lineNumber);
  }
}
