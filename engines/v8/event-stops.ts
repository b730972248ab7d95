import { z } from 'zod';
import { takes } from '../../src/core/marks/emulation.js';
import { CHANGE } from '../../src/core/marks/place.js';
import type { Channel } from './channel.js';
import { DocumentChanges } from './document-changes.js';
import { isError } from './errors.js';
import { type Carried, type Mark, NO_DOCUMENT } from './marks.js';
import { PauseBudget } from './pause-budget.js';
import { anythingSchema, type CallFrame, dataOf, type Location, type Paused } from './protocol.js';

const dataSchema = z.object({ eventName: z.string() });
const answerSchema = z.object({
  result: z.object({ value: z.unknown().optional() }),
  exceptionDetails: z.unknown().optional(),
});

const CARRIED: Carried = { path: '', line: 0, route: 'engine', note: '' };

const TOO_MANY =
  'waits: there were so many of these events that asking about each would take more than 5 % of the time';
/** Milliseconds of a second that pauses which stop for nobody may take. */
const SPARE = 50;

/** Steps into what a framework's listener calls, beyond which it is stopped at wherever it is. */
const MOST_STEPS = 50;

/** What a thread gives to its stops at events. */
interface Listened {
  isPackaged(frame: CallFrame): boolean;
  /** Has steps pass over foreign code. */
  passOver(): Promise<void>;
  /** Carries the marks out once more, and tells how they fare. */
  again(): Promise<void>;
}

/** A listener that is not the project's, while it is gone into for these marks. */
interface Under {
  marks: Mark[];
  /** Where its function begins. */
  listener: Location;
  /** Frames from the outermost to its own. */
  depth: number;
  steps: number;
}

/** Stops where the project's code begins to answer an event of a document (domain DOMDebugger). */
export class EventStops {
  readonly #set = new Set<string>();
  readonly #tooMany = new Set<string>();
  readonly #changes: DocumentChanges;
  #hasDocument = true;
  readonly #budget = new PauseBudget(SPARE);

  #under: Under | undefined;

  constructor(
    private readonly channel: Channel,
    private readonly listened: Listened,
  ) {
    this.#changes = new DocumentChanges(channel, () => this.listened.again());
  }

  /** Nothing is looked for any more. */
  end(): void {
    this.#changes.end();
  }

  /**
   * Has the engine stop at the listeners of these marks' events and at their changes, and at no others.
   * @returns how each is carried out
   */
  async apply(marks: readonly Mark[]): Promise<Map<Mark, Carried | string>> {
    const changes = marks.filter(isChange);
    const selectors = changes.map((mark) => eventOf(mark).selector);
    const states = await this.#changes.apply(
      new Set(selectors.filter((_, index) => !this.#tooMany.has(nameOf(changes[index] as Mark)))),
    );
    const told = await this.#applyEvents(
      marks.filter((mark) => !isChange(mark)),
      new Set(changes.map(nameOf)),
    );
    for (const mark of changes) {
      const state = this.#tooMany.has(nameOf(mark)) ? TOO_MANY : states.get(eventOf(mark).selector);
      told.set(mark, state || CARRIED);
    }
    return told;
  }

  /** @param kept other names of which it is known that they are too many */
  async #applyEvents(
    marks: readonly Mark[],
    kept: ReadonlySet<string>,
  ): Promise<Map<Mark, Carried | string>> {
    const wanted = new Set(marks.map(nameOf));
    for (const name of [...this.#tooMany].filter((each) => !wanted.has(each) && !kept.has(each))) {
      this.#tooMany.delete(name);
    }
    const names = new Set([...wanted].filter((each) => !this.#tooMany.has(each)));
    for (const name of [...this.#set].filter((each) => !names.has(each))) {
      this.#set.delete(name);
      await this.#send('remove', name).catch(() => undefined);
    }
    for (const name of [...names].filter((each) => !this.#set.has(each))) {
      this.#set.add(name);
      await this.#send('set', name).catch(() => {
        // A worker has none.
        this.#hasDocument = false;
      });
    }
    return new Map(marks.map((mark) => [mark, this.#howCarried(mark)]));
  }

  #howCarried(mark: Mark): Carried | string {
    if (!this.#hasDocument) {
      return NO_DOCUMENT;
    }
    return this.#tooMany.has(nameOf(mark)) ? TOO_MANY : CARRIED;
  }

  async #send(what: 'set' | 'remove', name: string): Promise<void> {
    await (CALLED_BACK.includes(name)
      ? this.channel.send(
          `EventBreakpoints.${what}InstrumentationBreakpoint`,
          { eventName: `${name}.callback` },
          anythingSchema,
        )
      : this.channel.send(`DOMDebugger.${what}EventListenerBreakpoint`, { eventName: name }, anythingSchema));
  }

  /**
   * What a pause is to marks at events: those that it is to stop for, or that the thread has gone on already. A listener of
   * a framework is gone into until code of the project answers the event.
   * @param movement what the thread is on its way to
   * @returns undefined where the pause is not for events
   */
  async judge(
    paused: Paused,
    marks: readonly Mark[],
    movement: string | undefined,
  ): Promise<Mark[] | 'goes on' | undefined> {
    const under = this.#under;
    this.#under = undefined;
    if (under !== undefined && isUnder(paused, under)) {
      return await this.#reach(paused, under);
    }
    const changed = this.#changes.selectorsOf(paused);
    if (changed !== undefined) {
      return await this.#atChange(paused, marks, changed);
    }
    const name = eventNameOf(paused);
    if (name === undefined) {
      const isLeft = under !== undefined && movement === undefined;
      // The listener has ended, and called nothing of the project: the engine's step has come out elsewhere.
      return isLeft && paused.hitBreakpoints.length === 0 && !isError(paused)
        ? await this.#go('Debugger.resume')
        : undefined;
    }
    const began = this.#budget.begin();
    const stopping = await this.#stoppingOf(
      paused,
      marks.filter((each) => nameOf(each) === name),
    );
    if (stopping.length === 0) {
      this.#spend(name, began);
      return [];
    }
    const listener = paused.callFrames[0]?.functionLocation;
    if (movement !== undefined || listener === undefined) {
      return counted(stopping);
    }
    return await this.#reach(paused, {
      marks: stopping,
      listener,
      depth: paused.callFrames.length,
      steps: 0,
    });
  }

  /** The code that changes an element is what stops. */
  async #atChange(paused: Paused, marks: readonly Mark[], selectors: ReadonlySet<string>): Promise<Mark[]> {
    const began = this.#budget.begin();
    const asked = marks.filter((mark) => isChange(mark) && selectors.has(eventOf(mark).selector));
    const stopping = await this.#stoppingOf(paused, asked);
    if (stopping.length === 0) {
      for (const mark of asked) {
        this.#spend(nameOf(mark), began);
      }
    }
    return counted(stopping);
  }

  /** Those of the marks at a pause whose conditions are true and whose hit rules take it. */
  async #stoppingOf(paused: Paused, marks: readonly Mark[]): Promise<Mark[]> {
    const stopping: Mark[] = [];
    for (const mark of marks) {
      if (await this.#holds(paused, mark)) {
        mark.passes += 1;
        if (mark.rule === undefined || takes(mark.rule, mark.passes)) {
          stopping.push(mark);
        }
      }
    }
    return stopping;
  }

  /** Goes on into what a listener calls, until that is the project's code. */
  async #reach(paused: Paused, under: Under): Promise<Mark[] | 'goes on'> {
    const [top] = paused.callFrames;
    const isTheirs = paused.hitBreakpoints.length > 0 || isError(paused) || under.steps >= MOST_STEPS;
    if (top === undefined || isTheirs || !this.listened.isPackaged(top)) {
      return counted(under.marks);
    }
    this.#under = { ...under, steps: under.steps + 1 };
    if (under.steps === 0) {
      await this.listened.passOver();
    }
    return await this.#go('Debugger.stepInto');
  }

  async #go(method: string): Promise<'goes on'> {
    // It may fail because the page has just gone.
    await this.channel.send(method, {}, anythingSchema).catch(() => undefined);
    return 'goes on';
  }

  /** Gives an event up whose pauses take too much of the program's time. */
  #spend(name: string, began: number): void {
    if (this.#budget.spend(began) && !this.#tooMany.has(name)) {
      this.#tooMany.add(name);
      void this.listened.again().catch(() => undefined);
    }
  }

  /** Whether the event is at an element that a mark is for, and its condition is true. */
  async #holds({ callFrames: [top] }: Paused, mark: Mark): Promise<boolean> {
    const selector = isChange(mark) ? '' : eventOf(mark).selector;
    const { condition } = mark.wanted;
    const isThere = `globalThis.event?.target?.closest?.(${JSON.stringify(selector)}) instanceof Element`;
    const expression = [...(selector ? [isThere] : []), ...(condition ? [`(${condition})`] : [])].join(
      ' && ',
    );
    if (expression === '' || top === undefined) {
      return true;
    }
    const asked = { callFrameId: top.callFrameId, expression: `Boolean(${expression})`, silent: true };
    const answer = await this.channel
      .send('Debugger.evaluateOnCallFrame', { ...asked, returnByValue: true }, answerSchema)
      .catch(() => undefined);
    if (answer === undefined || answer.exceptionDetails !== undefined) {
      const { errors = 0 } = mark.counted.get(AT_EVENTS) ?? {};
      const first = 'the condition or the selector failed';
      mark.counted.set(AT_EVENTS, { hits: 0, errors: errors + 1, first });
      return false;
    }
    return answer.result.value === true;
  }
}

/** What is no event, but is answered like one: the functions that are given to these. */
const CALLED_BACK = ['setTimeout', 'setInterval', 'requestAnimationFrame'];
const AT_LISTENER = 'EventListener';
/** Where errors of marks at events are counted, beside those of threads. */
const AT_EVENTS = 0;

function counted(marks: Mark[]): Mark[] {
  for (const mark of marks) {
    mark.hits += 1;
  }
  return marks;
}

/** Whether a pause is in what a listener has called, or in the listener. */
function isUnder({ callFrames }: Paused, { listener, depth }: Under): boolean {
  const there = callFrames.at(-depth)?.functionLocation;
  return (
    there !== undefined &&
    there.scriptId === listener.scriptId &&
    there.lineNumber === listener.lineNumber &&
    there.columnNumber === listener.columnNumber
  );
}

/** The event of a pause at a listener. */
function eventNameOf(paused: Paused): string | undefined {
  const { data } = dataSchema.safeParse(dataOf(paused, AT_LISTENER));
  return data?.eventName.replace(/^listener:|^instrumentation:|\.callback$/g, '');
}

function eventOf({ place }: Mark): { name: string; selector: string } {
  return 'event' in place ? place.event : { name: '', selector: '' };
}

/** Of a change with its selector: each is given up by itself. */
function nameOf(mark: Mark): string {
  const { name, selector } = eventOf(mark);
  return name === CHANGE ? `${name} ${selector}` : name;
}

function isChange(mark: Mark): boolean {
  return eventOf(mark).name === CHANGE;
}
