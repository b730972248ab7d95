import type { LoadedScript } from './loaded-script.js';
import type { CallFrame, Paused } from './protocol.js';
import type { Scripts } from './scripts.js';
import { Handlers } from './splice/handlers.js';
import { lineStarts } from './splice/rewrite.js';

/** A place in a call. */
type Place = Pick<CallFrame, 'url' | 'location'>;

/** A source of a package. */
interface Read {
  handlers: Handlers;
  /** Offsets of its lines. */
  starts: number[];
}

/** Characters of a source that are read for this while the program stands: larger ones are bundles. */
const LARGEST = 1_000_000;
/** Errors of packages that may be looked at in a second, each of which holds the program for a moment. */
const MOST = 50;
const SECOND = 1_000;

/**
 * Whether an error that a package raises comes to the project's code: where no function of the packages between them
 * catches it. The engine does not tell who will.
 */
export class ErrorReach {
  readonly #handlers = new WeakMap<LoadedScript, Read | undefined>();
  #from = 0;
  #looked = 0;

  constructor(private readonly scripts: Scripts) {}

  /** Whether more were looked at than the program should pay for. */
  get isTooMuch(): boolean {
    return this.#looked > MOST && performance.now() - this.#from <= SECOND;
  }

  /** Whether the code that raises it is the project's, or what it calls lets it through. */
  async reaches(paused: Paused): Promise<boolean> {
    const frames = throughAwaits(paused);
    const project = frames.findIndex((frame) => !this.scripts.isForeignCode(frame));
    if (project === 0) {
      return true;
    }
    this.#count();
    const between = frames.slice(0, Math.max(0, project));
    for (const frame of between) {
      if (await this.#holds(frame)) {
        return false;
      }
    }
    return between.length > 0;
  }

  #count(): void {
    const now = performance.now();
    if (now - this.#from > SECOND) {
      this.#from = now;
      this.#looked = 0;
    }
    this.#looked += 1;
  }

  async #holds({ location }: Place): Promise<boolean> {
    const script = this.scripts.get(location.scriptId);
    if (script === undefined) {
      return false;
    }
    if (!this.#handlers.has(script)) {
      this.#handlers.set(script, await readHandlers(script));
    }
    const read = this.#handlers.get(script);
    const offset = (read?.starts[location.lineNumber] ?? 0) + location.columnNumber;
    return read?.handlers.holds(offset) === true;
  }
}

/** Where an error passes if nobody catches it: the calls that are under way, and those that await what they give. */
function throughAwaits({ callFrames, asyncStackTrace }: Paused): Place[] {
  const places: Place[] = [...callFrames];
  for (let stack = asyncStackTrace; stack?.description === 'await'; stack = stack.parent) {
    const awaiting = stack.callFrames.map(({ url, scriptId, lineNumber, columnNumber }) => ({
      url,
      location: { scriptId, lineNumber, columnNumber },
    }));
    places.push(...awaiting);
  }
  return places;
}

async function readHandlers(script: LoadedScript): Promise<Read | undefined> {
  try {
    const text = await script.pristine();
    return text.length > LARGEST ? undefined : { handlers: new Handlers(text), starts: lineStarts(text) };
  } catch {
    return undefined;
  }
}
