import { z } from 'zod';
import { ruleRow } from '../../src/adapters/wanted.js';
import { type AmberRequest, amberRequestSchema } from '../../src/core/dap/extensions.js';
import { pathExpression, placeOf, type RequestPattern } from '../../src/core/requests/pattern.js';
import type { Channel } from './channel.js';
import { BINDING, countsSchema, type Delivery, deliveryIn, type HelperCounts } from './delivery.js';
import type { Mark } from './marks.js';
import type { Program } from './program.js';
import { anythingSchema } from './protocol.js';
import { HELPER, WAY } from './splice/code.js';

/** The parts of the helper, each an expression of its own (engines/v8/agent, and those of the runtime). */
const PARTS = [
  'aside',
  'text',
  'served',
  'called',
  'carried',
  'jobs',
  'printed',
  'binding',
  'rules',
  'conditions',
  'followed',
  'deliveries',
  'clients',
  'sends',
];

const valueSchema = z.object({
  result: z.object({ value: z.unknown().optional() }),
  exceptionDetails: z.object({ text: z.string() }).optional(),
});

const stoodSchema = z.tuple([amberRequestSchema.nullable(), z.number(), z.string().nullable()]);
const addedSchema = z.object({ identifier: z.string() });
const timesSchema = z.tuple([z.number(), z.number()]);
const heapSchema = z.object({ usedSize: z.number() });
const leftSchema = z.object({ scripts: z.array(z.tuple([z.string(), z.string()])) });
const contextSchema = z.object({
  context: z.object({
    id: z.number(),
    // A worker of a page has one context, of which nothing more is said.
    auxData: z
      .object({ isDefault: z.boolean().default(true), frameId: z.string().optional() })
      .default({ isDefault: true }),
  }),
});

const destroyedSchema = z.object({ executionContextId: z.number() });

/** By its address the helper is known as ours, wherever the program calls it. */
const ADDRESS = '\n//# sourceURL=amber:helper';

/** What the helper says of where the program is paused, as far as it is known. */
export interface Standing {
  request?: AmberRequest;
  others?: number;
  told?: Delivery;
}

/** Lines of a script as they were before: from 0, and their text. In groups that the engine takes at once. */
export type WayBack = [number, string][][];

/** Our part in one thread of a program (engines/v8/agent/helper.js), there only while something is marked. */
export class Helper {
  #installing: Promise<void> | undefined;
  #isWatching = false;
  #told = new WeakSet<Mark>();
  #effects = new WeakMap<Mark, string>();
  #context: number | undefined;
  /** Contexts of a page that were there before the helper came, but for the page's own: frames, extensions. */
  readonly #without = new Set<number>();
  /** Those of a page that have documents: its own, and those of its frames. */
  readonly #documents = new Set<number>();
  #generation = 0;
  /** What the helper was told of marks, for documents that come; and the script with which it comes with them. */
  readonly #rules: string[] = [];
  #lasting: string | undefined;
  #sends = '';

  /** @param id the number of the thread */
  constructor(
    private readonly id: number,
    private readonly channel: Channel,
    /** The agent in the program, which puts everything back when we are gone. */
    private readonly agent: Channel,
    /** The session with a worker thread, by the agent's number; undefined: the main thread. */
    private readonly thread: string | undefined,
    private readonly program: Pick<
      Program,
      'veil' | 'helperPart' | 'frame' | 'comesAnew' | 'arrivals' | 'traceTo'
    >,
  ) {
    const { frame } = program;
    channel.on('event', (method, params) => {
      if (method === 'Runtime.executionContextCreated') {
        // Those of the program's own (node:vm) may be told of before it.
        const { id, auxData } = contextSchema.parse(params).context;
        const isMain = auxData.isDefault && (frame === undefined || auxData.frameId === frame);
        this.#context = isMain ? id : this.#context;
        if (auxData.isDefault) {
          this.#documents.add(id);
        }
        if (!this.isInstalled && !isMain) {
          this.#without.add(id);
        }
      } else if (method === 'Runtime.executionContextDestroyed') {
        this.#documents.delete(destroyedSchema.parse(params).executionContextId);
      }
    });
  }

  /** Whether a script runs in a context that has no way to the helper: one of the program's own (node:vm). */
  isApart({ contexts }: { contexts: ReadonlySet<number> }): boolean {
    if (this.program.comesAnew) {
      return [...contexts].some((context) => this.#without.has(context));
    }
    return this.#context !== undefined && [...contexts].some((context) => context !== this.#context);
  }

  get isInstalled(): boolean {
    return this.#installing !== undefined;
  }

  /** Puts it in, once. @throws RequestError when the program refuses */
  install(): Promise<void> {
    this.#installing ??= this.#install();
    return this.#installing;
  }

  async #install(): Promise<void> {
    const { comesAnew } = this.program;
    if (this.thread !== undefined) {
      // In this one context: contexts of the program's own (node:vm) would keep it. In those of a page it is wanted.
      const isOne = this.#context !== undefined && !comesAnew;
      const args = { name: BINDING, ...(isOne ? { executionContextId: this.#context } : {}) };
      await this.channel.send('Runtime.removeBinding', { name: BINDING }, anythingSchema);
      await this.channel.send('Runtime.addBinding', args, anythingSchema);
    }
    await this.#evaluate(this.#source + ADDRESS, { includeCommandLineAPI: true });
    await this.#last();
  }

  get #source(): string {
    const { veil, helperPart, arrivals, traceTo = [] } = this.program;
    const options = {
      name: HELPER,
      way: WAY,
      deliver: this.thread === undefined ? null : BINDING,
      veil: veil.pattern ?? null,
      pieces: arrivals?.first ?? 0,
      origins: traceTo,
    };
    const parts = PARTS.map((name) => `${name}: ${helperPart(name)}`).join(',\n');
    return `${helperPart('helper')}(${helperPart('require')}, ${JSON.stringify(options)}, {${parts}})`;
  }

  /** Has it come with each document that the page goes to, before anything of that runs, and know of the marks. */
  async #last(): Promise<void> {
    if (!this.program.comesAnew) {
      return;
    }
    await this.channel.send('Page.enable', {}, anythingSchema).catch(() => undefined);
    const source = `typeof ${BINDING} === 'undefined' || ${this.#source};\n${this.#rules.join('')}${this.#sends}${ADDRESS}`;
    const before = this.#lasting;
    // Workers have no documents.
    const added = await this.channel
      .send('Page.addScriptToEvaluateOnNewDocument', { source }, addedSchema)
      .catch(() => undefined);
    this.#lasting = added?.identifier;
    await this.#drop(before);
  }

  async #drop(identifier: string | undefined): Promise<void> {
    if (identifier !== undefined) {
      await this.channel
        .send('Page.removeScriptToEvaluateOnNewDocument', { identifier }, anythingSchema)
        .catch(() => undefined);
    }
  }

  async #evaluate(expression: string, more: object = {}): Promise<unknown> {
    const args = { expression, silent: true, returnByValue: true, ...more };
    const { result, exceptionDetails } = await this.channel.send('Runtime.evaluate', args, valueSchema);
    return exceptionDetails ? undefined : result.value;
  }

  /** What the agent has not been able to put back yet after an earlier client, by the script's id. */
  async left(): Promise<[string, string][]> {
    return this.thread === undefined ? (await this.agent.send('Amber.left', {}, leftSchema)).scripts : [];
  }

  /** Leaves with the agent how a script is to be when we are gone. */
  async keep(scriptId: string, steps: WayBack): Promise<void> {
    await this.agent.send('Amber.keep', { thread: this.thread, scriptId, steps }, anythingSchema);
  }

  async restored(scriptId: string): Promise<void> {
    await this.agent.send('Amber.restored', { thread: this.thread, scriptId }, anythingSchema);
  }

  /** Has the agent measure and watch a breakpoint of the engine. */
  async engineStop(breakpointId: string, number: number): Promise<void> {
    if (this.thread === undefined && number > 0) {
      await this.agent.send('Amber.engineStop', { breakpointId, number }, anythingSchema);
    }
  }

  /** Lets a program go that waits before its first line (runtimes/node/agent/boot). */
  async launch(): Promise<void> {
    await this.#evaluate(`${WAY}.isLaunched = true`);
  }

  /** Bytes in the heap of the thread. */
  async heap(): Promise<number> {
    return (await this.channel.send('Runtime.getHeapUsage', {}, heapSchema)).usedSize;
  }

  /** Milliseconds by the clock of the program, and those that it has computed; zeros without a helper. */
  async now(): Promise<[number, number]> {
    const told = await this.#evaluate(`typeof ${HELPER} === 'undefined' ? [0, 0] : ${HELPER}.now()`);
    return timesSchema.safeParse(told).data ?? [0, 0];
  }

  /** Whether Node's own loader has compiled a CommonJS file. */
  async isLoaded(path: string): Promise<boolean> {
    return (await this.#evaluate(`${HELPER}.isLoaded(${JSON.stringify(path)})`)) === true;
  }

  /** Whether the program is serving requests now. */
  async isBusy(): Promise<boolean> {
    return (await this.#evaluate(`typeof ${HELPER} === 'undefined' ? false : ${HELPER}.isBusy()`)) === true;
  }

  /** Has the engine take changes of code where a flag is needed for that. */
  async allowEdits(): Promise<void> {
    await this.#evaluate(`typeof ${HELPER} === 'undefined' || ${HELPER}.allowEdits()`);
  }

  /**
   * Holds new requests until those under way have been answered.
   * @param most milliseconds after which they go on in any case
   * @param answered milliseconds that those under way may take
   * @returns whether none is under way now
   */
  async calm(most: number, answered: number): Promise<boolean> {
    const expression = `typeof ${HELPER} === 'undefined' ? false : ${HELPER}.calm(${most}, ${answered})`;
    return (await this.#evaluate(expression, { awaitPromise: true })) === true;
  }

  async release(): Promise<void> {
    await this.#evaluate(`typeof ${HELPER} === 'undefined' || ${HELPER}.release()`);
  }

  /** What the helper decides by itself at each pass: the hit rule, and the limits of a logpoint. */
  async tellRules(marks: readonly Mark[]): Promise<void> {
    const isNew = (mark: Mark) => !this.#told.has(mark) && mark.asksHelper;
    const calls = marks.filter(isNew).map((mark) => {
      this.#told.add(mark);
      const { inAll, perSecond, bytes } = mark.wanted.limits;
      const args = [mark.code, ruleRow(mark.rule), { inAll, perSecond, bytes }, patternRow(mark.requests)];
      return `${HELPER}.rule(${args.map((value) => JSON.stringify(value)).join(', ')});`;
    });
    // A page serves none.
    if (!this.program.comesAnew && marks.some((mark) => mark.knowsRequests)) {
      calls.push(`${HELPER}.watch();`);
    }
    if (calls.length > 0) {
      this.#rules.push(...calls);
      await this.#evaluate(calls.join(''));
      await this.#last();
    }
  }

  /** What followed lines do to the variables of their functions (splice/effects.ts); "" where that is not known. */
  async tellEffects(texts: ReadonlyMap<Mark, string>): Promise<void> {
    const isNew = ([mark, text]: [Mark, string]) => (this.#effects.get(mark) ?? '') !== text;
    const news = [...texts].filter(isNew);
    if (news.length === 0) {
      return;
    }
    for (const [mark, text] of news) {
      this.#effects.set(mark, text);
    }
    const rows = JSON.stringify(news.map(([mark, text]) => [mark.code, text]));
    await this.#evaluate(`typeof ${HELPER} === 'undefined' || ${HELPER}.lines(${rows})`);
  }

  /** Whether it has been told what it has to decide about a mark. */
  knows(mark: Mark): boolean {
    return this.isInstalled && (this.#told.has(mark) || !mark.asksHelper);
  }

  /** Marks at requests that the program sends, as a call of the helper's. */
  async tellSends(call: string): Promise<void> {
    if (call !== this.#sends) {
      this.#sends = call;
      await this.#evaluate(call);
      await this.#last();
    }
  }

  /** From now on it is known which request is served. */
  async watchRequests(): Promise<void> {
    if (!this.#isWatching) {
      await this.install();
      this.#isWatching = true;
      await this.#evaluate(`${HELPER}.watch();`);
    }
  }

  /** The counts, by what they are of: a thread has a helper, and of a page each document. */
  async beat(): Promise<[number | string, HelperCounts][]> {
    if (!this.isInstalled) {
      return [];
    }
    const isPage = this.program.comesAnew && this.#documents.size > 0;
    const contexts = isPage ? [...this.#documents] : [undefined];
    const asked = contexts.map(async (contextId): Promise<[number | string, HelperCounts][]> => {
      const expression = `typeof ${HELPER} === 'undefined' ? null : ${HELPER}.beat()`;
      const told = await this.#evaluate(expression, contextId ? { contextId } : {}).catch(() => undefined);
      const { data } = countsSchema.safeParse(told);
      return data ? [[this.countedAs(contextId), data]] : [];
    });
    return (await Promise.all(asked)).flat();
  }

  /** Under what the counts of a context are kept: those of a document stay when it has gone. */
  countedAs(context?: number): number | string {
    return context === undefined ? this.id : `${this.id} ${this.#generation} ${context}`;
  }

  /** A page has gone to another document, and the helper has come with it. */
  anew(): void {
    this.#without.clear();
    this.#documents.clear();
    this.#generation += 1;
    this.#context = undefined;
  }

  /** Takes the helper out. */
  async leave(): Promise<void> {
    if (this.isInstalled) {
      await this.#drop(this.#lasting);
      await this.#evaluate(`typeof ${HELPER} === 'undefined' || ${HELPER}.leave()`).catch(() => undefined);
      await this.channel
        .send('Runtime.removeBinding', { name: BINDING }, anythingSchema)
        .catch(() => undefined);
    }
  }

  /** The agent has taken everything out. */
  lapsed(): void {
    this.#installing = undefined;
    this.#isWatching = false;
    this.#sends = '';
    this.#told = new WeakSet();
    this.#effects = new WeakMap();
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
      const told = calls.map((call) => `${HELPER}.${call};`);
      await this.#evaluate(told.join(''));
      this.#rules.push(...told);
      await this.#last();
    }
  }

  /** The request that the paused program serves, how many others wait, and what it has not told yet. */
  async standing(callFrameId: string): Promise<Standing> {
    if (!this.isInstalled) {
      return {};
    }
    const parts = `${HELPER}.request(), ${HELPER}.others(), ${HELPER}.untold()`;
    const expression = `typeof ${HELPER} === 'undefined' ? null : [${parts}]`;
    const args = { callFrameId, expression, silent: true, returnByValue: true };
    const { result } = await this.channel.send('Debugger.evaluateOnCallFrame', args, valueSchema);
    const [request, others, untold] = stoodSchema.safeParse(result.value).data ?? [];
    return {
      ...(request ? { request } : {}),
      ...(others === undefined ? {} : { others }),
      ...(untold ? { told: deliveryIn(untold) } : {}),
    };
  }
}

/** Requests as the helper compares them. */
function patternRow(requests: RequestPattern | null) {
  if (requests === null) {
    return null;
  }
  const { header } = requests;
  const { method, path } = placeOf(requests);
  const { name = null, value = '' } = header ?? {};
  return { method, path: pathExpression(path), whole: path.includes('?'), name, value };
}
