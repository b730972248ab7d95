import { z } from 'zod';
import type { Channel } from './channel.js';
import type { Helper } from './helper.js';
import type { Carried, Mark } from './marks.js';
import { PauseBudget } from './pause-budget.js';
import type { CallFrame, Paused } from './protocol.js';
import type { Scripts } from './scripts.js';
import { HELPER, sendCode } from './splice/code.js';
import { needsFrame, withServedRequest } from './splice/served-request.js';

/** The function of the helper's in which the program stands still (engines/v8/agent/sends.js). */
const SENDS = '$amberSends';
const CARRIED: Carried = { path: '', line: 0, route: 'engine', note: '' };
/** A part of what is sent that is a text of its own: `{status}`. */
const PARTS = ['method', 'url', 'headers', 'body', 'status'];
const STATUS = /\bsent\s*(?:\?\.|\.)\s*status\b/;

const TOO_MANY =
  'waits: there were so many of these requests that asking about each would take more than a fifth of the time; a mark that names only `sent` costs nothing of this';
/** Milliseconds of a second that pauses which stop for nobody may take. */
const SPARE = 200;

const answerSchema = z.object({ result: z.object({ value: z.unknown().optional() }) });
/** The marks that a pause is for, and those of them that stop. */
const dueSchema = z.tuple([z.array(z.number()), z.array(z.number())]);

/** A pause at a request that is sent: the marks that it is to stop for, in the frames of the project's code. */
export interface SendStop {
  marks: Mark[];
  paused: Paused;
}

/** Stops where the program sends requests: its ways of doing so are watched while such a mark is on. */
export class SendStops {
  readonly #tooMany = new Set<Mark>();
  readonly #budget = new PauseBudget(SPARE);
  #isTold = false;

  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
    private readonly helper: Helper,
    /** Carries the marks out once more, and tells how they fare. */
    private readonly again: () => Promise<void>,
  ) {}

  /** @returns how each is carried out */
  async apply(marks: readonly Mark[]): Promise<Map<Mark, Carried | string>> {
    for (const mark of [...this.#tooMany].filter((each) => !marks.includes(each))) {
      this.#tooMany.delete(mark);
    }
    const told = new Map<Mark, Carried | string>(
      marks.map((mark) => [mark, this.#tooMany.has(mark) ? TOO_MANY : CARRIED]),
    );
    if (marks.length === 0 && !this.#isTold) {
      return told;
    }
    this.#isTold = true;
    await this.helper.install();
    await this.helper.tellRules(marks);
    await this.helper.tellSends(
      `${HELPER}.sends([${marks.filter((mark) => !this.#tooMany.has(mark)).map(rowOf)}]);`,
    );
    return told;
  }

  /**
   * What a pause is to marks at requests that are sent.
   * @returns undefined where it is not for them
   */
  async judge(paused: Paused, marks: readonly Mark[]): Promise<SendStop | undefined> {
    const [top] = paused.callFrames;
    if (top?.functionName !== SENDS) {
      return undefined;
    }
    const began = this.#budget.begin();
    const at = this.#senderIn(paused.callFrames);
    const frame = paused.callFrames[at] ?? top;
    const runs = marks
      .filter((mark) => mark.isAtSends && needsFrame(expressionsOf(mark)))
      .map((mark) => `${mark.code}:()=>${runOf(mark)}`);
    // In one question: the program stands still meanwhile.
    const told = await this.#computed(frame, `(($runs)=>${HELPER}.due($runs))({${runs.join(',')}})`);
    const [due, hit] = dueSchema.safeParse(told).data ?? [[], []];
    const stopping = marks.filter(({ code }) => hit.includes(code));
    for (const mark of stopping) {
      mark.hits += 1;
    }
    if (stopping.length === 0) {
      this.#spend(
        marks.filter(({ code }) => due.includes(code)),
        began,
      );
    }
    return { marks: stopping, paused: { ...paused, callFrames: paused.callFrames.slice(at) } };
  }

  /** The innermost frame of the project's code; where there is none, the innermost that has a file. */
  #senderIn(frames: readonly CallFrame[]): number {
    const own = frames.findIndex((frame) => !this.scripts.isForeignCode(frame));
    const named = frames.findIndex(({ url }) => url !== '' && !url.startsWith('amber:'));
    return Math.max(0, own >= 0 ? own : named);
  }

  async #computed({ callFrameId }: CallFrame, expression: string): Promise<unknown> {
    const asked = { callFrameId, expression, silent: true, returnByValue: true };
    const answer = await this.channel
      .send('Debugger.evaluateOnCallFrame', asked, answerSchema)
      .catch(() => undefined);
    return answer?.result.value;
  }

  /** Gives marks up whose pauses take too much of the program's time. */
  #spend(marks: readonly Mark[], began: number): void {
    const isTooMuch = this.#budget.spend(began);
    const late = marks.filter((mark) => needsFrame(expressionsOf(mark)) && !this.#tooMany.has(mark));
    if (isTooMuch && late.length > 0) {
      for (const mark of late) {
        this.#tooMany.add(mark);
      }
      void this.again().catch(() => undefined);
    }
  }
}

/** A mark as the helper has it (engines/v8/agent/sends.js). */
function rowOf(mark: Mark): string {
  const { method, matches } = 'sends' in mark.place ? mark.place.sends : { method: '*', matches: '^' };
  const expressions = expressionsOf(mark);
  const isAnswered = expressions.some((expression) => STATUS.test(expression));
  const run = needsFrame(expressions) ? 'null' : `()=>${runOf(mark)}`;
  return `[${mark.code},${JSON.stringify(method)},${JSON.stringify(matches)},${isAnswered},${run}]`;
}

function expressionsOf({ wanted, values }: Mark): string[] {
  return [wanted.condition, ...values.map(partOf)].filter(Boolean);
}

/** What a mark does, as an expression that says whether it is to stop. */
function runOf(mark: Mark): string {
  const { condition, kind } = mark.wanted;
  return sendCode({
    id: mark.code,
    kind,
    condition: condition && withServedRequest(condition, false),
    values: mark.values.map((value) => withServedRequest(partOf(value), true)),
    hasRule: mark.rule !== undefined,
    requests: mark.requests === null ? 'all' : 'some',
  });
}

function partOf(value: string): string {
  return PARTS.includes(value) ? `sent.${value}` : value;
}
