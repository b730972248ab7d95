import { readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { z } from 'zod';
import {
  type AmberRequest,
  amberRequestSchema,
  followedSchema,
  printedSchema,
} from '../../core/dap/extensions.js';
import { pathExpression, type RequestPattern } from '../../core/requests/pattern.js';
import { ruleRow } from '../wanted.js';
import type { Channel } from './channel.js';
import type { Mark } from './marks.js';
import { anythingSchema } from './protocol.js';
import type { LoadedScript } from './scripts.js';
import { HELPER } from './splice/code.js';

/** Milliseconds of silence after which the helper takes the splices out by itself. */
const PATIENCE = 3_000;
/** The same for a client that is connected still: it was suspended, and will want to know what it has missed. */
const LONGEST = 20_000;
/** The same after which it tells nothing more, and counts what it does not tell. */
const STALL = 2_000;
/** The name under which the engine gives the helper a way to us; the helper takes it away at once. */
const BINDING = '$amberDeliver';
const FOLDER = resolve(__dirname, '..', '..', '..', 'agents', 'javascript');

const countsSchema = z.array(
  z.object({ id: z.number(), hits: z.number(), errors: z.number(), first: z.string(), ticks: z.number() }),
);
export type HelperCounts = z.infer<typeof countsSchema>;

const valueSchema = z.object({
  result: z.object({ value: z.unknown().optional() }),
  exceptionDetails: z.object({ text: z.string() }).optional(),
});

const toldSchema = z.union([z.string(), z.number(), z.tuple([z.string(), z.string()])]);
/** Rows of a mark, microseconds, and its values or the error in their place; the first has the number `first`. */
const deliverySchema = z.object({
  first: z.number(),
  hits: z.array(
    z.union([
      // The usual one first: what does not fit costs far more to find out.
      z.tuple([z.number(), z.number()], toldSchema),
      z.tuple([z.number(), z.number(), z.object({ error: z.string() })]),
      z.tuple([z.number(), z.number(), followedSchema]),
    ]),
  ),
  dropped: z.record(z.string(), z.number()),
  requests: z.array(z.number()).default([]),
  begun: z.array(amberRequestSchema).default([]),
  epoch: z.number(),
  ended: z.array(z.tuple([z.number(), z.number(), z.number()])).default([]),
  called: z.array(z.tuple([z.number(), z.string()])).default([]),
  untold: z.number().default(0),
  printed: z.array(printedSchema).default([]),
  unprinted: z.number().default(0),
});
export type Told = z.infer<typeof toldSchema>;
export type Delivery = z.infer<typeof deliverySchema>;

/** Our part in a program (agents/javascript/helper.js), there only while something is spliced. */
export class Helper {
  #installing: Promise<void> | undefined;
  readonly #kept = new Set<LoadedScript>();
  #told = new WeakSet<Mark>();

  constructor(
    private readonly channel: Channel,
    private readonly closesInspector: boolean,
    /** The pattern of names whose values are hidden. */
    private readonly veil: string | undefined,
  ) {}

  get isInstalled(): boolean {
    return this.#installing !== undefined;
  }

  /** What a call of the binding carries; undefined for the bindings of others. */
  static delivery(method: string, params: unknown): Delivery | undefined {
    if (method !== 'Runtime.bindingCalled') {
      return undefined;
    }
    const call = z.object({ name: z.string(), payload: z.string() }).parse(params);
    return call.name === BINDING ? deliverySchema.parse(JSON.parse(call.payload)) : undefined;
  }

  /** Puts it in, once. @throws RequestError when the program refuses */
  install(): Promise<void> {
    this.#installing ??= this.#install();
    return this.#installing;
  }

  async #install(): Promise<void> {
    // A helper that has given us up took the function away, and the engine does not make it twice by itself.
    await this.channel.send('Runtime.removeBinding', { name: BINDING }, anythingSchema);
    await this.channel.send('Runtime.addBinding', { name: BINDING }, anythingSchema);
    const options = {
      name: HELPER,
      binding: BINDING,
      patience: PATIENCE,
      longest: LONGEST,
      stall: STALL,
      closesInspector: this.closesInspector,
      veil: this.veil ?? null,
    };
    // A helper that another client has left behind with work to do gives way to ours.
    const expression = `${sourceOf('helper.js')}(require, ${JSON.stringify(options)}, ${sourceOf('text.js')})`;
    await this.#evaluate(expression, true);
  }

  async #evaluate(expression: string, withRequire = false): Promise<unknown> {
    const args = {
      expression,
      silent: true,
      returnByValue: true,
      ...(withRequire ? { includeCommandLineAPI: true } : {}),
    };
    const { result, exceptionDetails } = await this.channel.send('Runtime.evaluate', args, valueSchema);
    return exceptionDetails ? undefined : result.value;
  }

  /** What a helper of an earlier client has not been able to put back yet, by the script's id; it ends with this. */
  async takeOver(): Promise<[string, string][]> {
    const left = await this.#evaluate(`typeof ${HELPER} === 'undefined' ? [] : ${HELPER}.retire()`);
    return z
      .array(z.tuple([z.string(), z.string()]))
      .catch([])
      .parse(left);
  }

  /** Leaves a script's own text with the helper, which puts it back when we are gone. */
  async keep(script: LoadedScript): Promise<void> {
    if (!this.#kept.has(script)) {
      this.#kept.add(script);
      const text = JSON.stringify(await script.pristine());
      await this.#evaluate(`${HELPER}.keep(${JSON.stringify(script.id)}, ${text})`);
    }
  }

  async restored(script: LoadedScript): Promise<void> {
    if (this.#kept.delete(script)) {
      await this.#evaluate(`${HELPER}.restored(${JSON.stringify(script.id)})`);
    }
  }

  /** What the helper decides by itself at each pass: the hit rule, and the limits of a logpoint. */
  async tellRules(marks: readonly Mark[]): Promise<void> {
    const isNew = (mark: Mark) => !this.#told.has(mark) && mark.asksHelper;
    const calls = marks.filter(isNew).map((mark) => {
      this.#told.add(mark);
      const { inAll, perSecond, bytes } = mark.wanted.limits;
      const args = [mark.id, ruleRow(mark.rule), { inAll, perSecond, bytes }, patternRow(mark.requests)];
      return `${HELPER}.rule(${args.map((value) => JSON.stringify(value)).join(', ')});`;
    });
    if (marks.some((mark) => mark.knowsRequests)) {
      calls.push(`${HELPER}.watch();`);
    }
    if (calls.length > 0) {
      await this.#evaluate(calls.join(''));
    }
  }

  /**
   * Says that we are there and gives the counts; `lapsed` when the helper had given us up and taken everything
   * out, undefined when there is no helper.
   */
  async beat(): Promise<HelperCounts | 'lapsed' | undefined> {
    if (!this.isInstalled) {
      return undefined;
    }
    const value = await this.#evaluate(`typeof ${HELPER} === 'undefined' ? false : ${HELPER}.beat()`);
    if (value === false) {
      this.#installing = undefined;
      this.#kept.clear();
      this.#told = new WeakSet();
      return 'lapsed';
    }
    const counts = countsSchema.safeParse(value);
    return counts.success ? counts.data : undefined;
  }

  /** From now on every request that the program serves is told of, or every line that it prints, or both. */
  async watch({
    tellsRequests,
    tellsOutput,
  }: {
    tellsRequests: boolean;
    tellsOutput: boolean;
  }): Promise<void> {
    if (tellsRequests || tellsOutput) {
      await this.install();
      const calls = [...(tellsRequests ? ['watch(true)'] : []), ...(tellsOutput ? ['listen()'] : [])];
      await this.#evaluate(calls.map((call) => `${HELPER}.${call};`).join(''));
    }
  }

  /** The request that the paused program serves, where that is known. */
  async requestIn(callFrameId: string): Promise<AmberRequest | undefined> {
    if (!this.isInstalled) {
      return undefined;
    }
    const expression = `typeof ${HELPER} === 'undefined' ? null : ${HELPER}.request()`;
    const args = { callFrameId, expression, silent: true, returnByValue: true };
    const { result } = await this.channel.send('Debugger.evaluateOnCallFrame', args, valueSchema);
    return amberRequestSchema.safeParse(result.value).data;
  }

  /** Goes: the helper ends itself, at once or when it has taken out what runs still. */
  async leave(): Promise<void> {
    if (this.isInstalled) {
      await this.#evaluate(`typeof ${HELPER} === 'undefined' || ${HELPER}.leave()`);
      await this.channel.send('Runtime.removeBinding', { name: BINDING }, anythingSchema);
    }
  }
}

/** Requests as the helper compares them. */
function patternRow(requests: RequestPattern | null) {
  if (requests === null) {
    return null;
  }
  const { method = '*', path = '*', header } = requests;
  const { name = null, value = '' } = header ?? {};
  return { method, path: pathExpression(path), whole: path.includes('?'), name, value };
}

/** One of our expressions, without the comment at its head. */
function sourceOf(name: string): string {
  return readFileSync(join(FOLDER, name), 'utf8')
    .replace(/^\/\*[\s\S]*?\*\//, '')
    .trim()
    .replace(/;$/, '');
}
