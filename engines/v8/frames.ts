import { RequestError } from '../../src/adapters/dap-server.js';
import type { OriginalNames } from './original-names.js';
import type { AsyncStack, CallFrame, Paused } from './protocol.js';
import { isForeign, OURS, type Scripts } from './scripts.js';
import type { Position } from './splice/rewrite.js';
import { withServedRequest } from './splice/served-request.js';

/** One call of a stack: running still, or one that has started what runs now. */
export interface Frame {
  call?: CallFrame;
  name: string;
  url: string;
  scriptId: string;
  /** In the running text, both from 0. */
  position: Position;
}

/** The frames of one pause, as people wrote them: by their own names and places. */
export class Frames {
  readonly #byNumber = new Map<number, Frame>();
  readonly #order: number[] = [];
  readonly #hasOthers: boolean;

  constructor(
    private readonly scripts: Scripts,
    paused: Paused,
    private readonly foreign: readonly RegExp[],
    private readonly nextReference: () => number,
  ) {
    this.#hasOthers = paused.callFrames.some(({ url }) => !OURS.test(url));
    for (const call of paused.callFrames) {
      const { scriptId, lineNumber, columnNumber } = call.location;
      const position = { line: lineNumber, column: columnNumber };
      this.#add({ call, name: call.functionName, url: call.url, scriptId, position });
    }
    for (let stack: AsyncStack | undefined = paused.asyncStackTrace; stack; stack = stack.parent) {
      for (const { functionName, url, scriptId, lineNumber, columnNumber } of stack.callFrames) {
        const position = { line: lineNumber, column: columnNumber };
        this.#add({ name: functionName, url, scriptId, position });
      }
    }
  }

  /** Ours are nobody's business, where there are others. */
  #add(frame: Frame): void {
    if (OURS.test(frame.url) && (frame.call === undefined || this.#hasOthers)) {
      return;
    }
    const number = this.nextReference();
    this.#byNumber.set(number, frame);
    this.#order.push(number);
  }

  has(number: number): boolean {
    return this.#byNumber.has(number);
  }

  /** By its number, or the innermost. @throws RequestError `noSuchFrame` */
  get(number: number = this.#order[0] ?? 0): Frame {
    const frame = this.#byNumber.get(number);
    if (frame === undefined) {
      throw new RequestError('noSuchFrame', 'there is no such frame any more');
    }
    return frame;
  }

  async stackTrace(start: number, levels: number): Promise<object> {
    const page = this.#order.slice(start, levels > 0 ? start + levels : undefined);
    const stackFrames = await Promise.all(page.map((number) => this.#stackFrame(number)));
    return { stackFrames, totalFrames: this.#order.length };
  }

  /** Names as people wrote them in the code of a frame, and where that stands; nothing of packages, which may be long. */
  async namesOf(frame: Frame): Promise<{ names: OriginalNames | undefined; offset: number }> {
    const script = this.scripts.get(frame.scriptId);
    if (script === undefined || script.map === undefined || isForeign(script.url, this.foreign)) {
      return { names: undefined, offset: 0 };
    }
    return { names: await script.names(), offset: await script.offsetOf(frame.position) };
  }

  /** An expression that people wrote, as it is to be computed in a frame. */
  async compiled(frame: Frame, expression: string): Promise<string> {
    const { names, offset } = await this.namesOf(frame);
    return withServedRequest(names?.compiled(expression, offset) ?? expression, true);
  }

  async #stackFrame(number: number): Promise<object> {
    const frame = this.get(number);
    const script = this.scripts.get(frame.scriptId);
    const url = script?.url || frame.url;
    const place = script?.original(frame.position);
    const { line: lineNumber, column: columnNumber } = frame.position;
    const location = { scriptId: frame.scriptId, lineNumber, columnNumber };
    const { names, offset } = await this.namesOf(frame);
    const name = names?.writtenFunction(frame.name, offset) ?? frame.name;
    return {
      id: number,
      name: `${frame.call ? '' : 'async '}${name || '(anonymous)'}`,
      line: place?.line ?? frame.position.line + 1,
      column: 1,
      source: this.#sourceOf(frame, place?.path ?? url),
      canRestart: frame.call?.canBeRestarted === true,
      ...(this.scripts.isPackaged({ location, url }) ? { presentationHint: 'subtle' } : {}),
    };
  }

  /** A file by its path; what is no file, or is not here any more, by the script that has its text. */
  #sourceOf({ scriptId }: Frame, path: string): object {
    const name = path.split('/').at(-1) || `script ${scriptId}`;
    if (path.startsWith('/')) {
      return { name, path };
    }
    return { name: path || name, sourceReference: Number(scriptId) };
  }
}

/** What the engine knows of a frame that still runs. @throws RequestError `noSuchFrame` for one that has ended */
export function callOf(frame: Frame): CallFrame {
  if (frame.call === undefined) {
    throw new RequestError(
      'noSuchFrame',
      'this frame has ended (it started what runs now); only its place is known',
    );
  }
  return frame.call;
}
