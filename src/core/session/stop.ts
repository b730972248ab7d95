import { z } from 'zod';
import type { DapClient, RequestOptions } from '../dap/client.js';
import {
  type AmberRequest,
  amberCapabilitySchema,
  amberResponseBodySchema,
  amberStoppedSchema,
  type Holds,
  type ResponseSoFar,
} from '../dap/extensions.js';
import * as dap from '../dap/messages.js';
import { AmberError } from '../errors.js';
import type { PathMap } from '../source/path-map.js';

/** A value as DAP gives it: text, type, and a reference when it has children. */
export interface Value {
  text: string;
  type: string;
  /** 0 where there are no children. */
  reference: number;
  named: number;
  indexed: number;
}

/** One page of variables. */
export interface Page {
  start: number;
  count: number;
  /** Which children, where a value has both kinds. */
  filter?: 'named' | 'indexed';
}

export type StepKind = 'over' | 'into' | 'out';
const STEP_REQUESTS = { over: 'next', into: 'stepIn', out: 'stepOut' } as const;

/** For answers whose body says nothing that is used. */
const anything = z.unknown();

/** Milliseconds that an expression of the user's own may take. */
const EVALUATE_TIMEOUT = 30_000;

/**
 * One stop of one thread. DAP's handles (frames, variables) are good for this stop only, so they are asked
 * for and used through it; once the thread has moved on every method throws `AL_NOT_STOPPED`.
 */
export class Stop {
  #over = false;
  #frames: dap.StackFrame[] | undefined;

  constructor(
    private readonly client: DapClient,
    private readonly capabilities: () => dap.Capabilities,
    private readonly paths: PathMap,
    readonly threadId: number,
    readonly event: dap.StoppedEvent,
    private readonly moved: (stop: Stop) => void,
  ) {}

  /** Whether the thread has moved on since. */
  get over(): boolean {
    return this.#over;
  }

  /** The HTTP request that the thread serves, where the target knows it. */
  get request(): AmberRequest | undefined {
    return this.#ours?.request ?? undefined;
  }

  /** What the thread holds besides itself. */
  get holds(): Holds | undefined {
    return this.#ours?.holds;
  }

  get #ours() {
    return amberStoppedSchema.safeParse(this.event.amber ?? {}).data;
  }

  /** Called by the session when the thread runs again, by whatever cause. */
  invalidate(): void {
    this.#over = true;
  }

  /** The whole stack, innermost frame first; asked for once. */
  async frames(): Promise<dap.StackFrame[]> {
    if (this.#frames === undefined) {
      const args = { threadId: this.threadId, startFrame: 0, levels: 0 };
      const body = await this.#ask('stackTrace', args, dap.stackTraceBodySchema);
      this.#frames = body.stackFrames.map((frame) => this.#toLocal(frame));
    }
    return this.#frames;
  }

  #toLocal(frame: dap.StackFrame): dap.StackFrame {
    const path = frame.source?.path;
    return path === undefined
      ? frame
      : { ...frame, source: { ...frame.source, path: this.paths.local(path) } };
  }

  async scopes(frameId: number): Promise<dap.Scope[]> {
    return (await this.#ask('scopes', { frameId }, dap.scopesBodySchema)).scopes;
  }

  /** Children of a scope or value, all or one page of them. */
  async variables(reference: number, page?: Page): Promise<dap.Variable[]> {
    const args = { variablesReference: reference, ...page };
    return (await this.#ask('variables', args, dap.variablesBodySchema)).variables;
  }

  /** @throws AmberError `AL_EVALUATE` with the language's own words. */
  async evaluate(
    expression: string,
    frameId: number | undefined,
    context: 'watch' | 'repl' | 'hover' | 'clipboard',
    options: RequestOptions = {},
  ): Promise<Value> {
    const args = { expression, frameId, context };
    const body = await this.#ask('evaluate', args, dap.evaluateBodySchema, {
      timeout: EVALUATE_TIMEOUT,
      ...options,
    });
    return toValue(body.result, body);
  }

  /** Stores the value of an expression in a name, attribute or item; gives what is there afterwards. */
  async assign(target: string, expression: string, frameId: number): Promise<Value> {
    if (this.capabilities().supportsSetExpression) {
      const args = { expression: target, value: expression, frameId };
      const body = await this.#ask('setExpression', args, dap.setValueBodySchema);
      return toValue(body.value, body);
    }
    if (this.capabilities().supportsSetVariable) {
      for (const scope of await this.scopes(frameId)) {
        const found = (await this.variables(scope.variablesReference)).some(({ name }) => name === target);
        if (found) {
          const args = { variablesReference: scope.variablesReference, name: target, value: expression };
          const body = await this.#ask('setVariable', args, dap.setValueBodySchema);
          return toValue(body.value, body);
        }
      }
      throw new AmberError('AL_EVALUATE', `there is no variable ${target} in this frame`);
    }
    throw new AmberError('AL_NOT_SUPPORTED', 'this target cannot assign');
  }

  /** What `text` may go on with at `column` (from 1); nothing where the server cannot tell. */
  async completions(text: string, column: number, frameId: number | undefined): Promise<string[]> {
    if (!this.capabilities().supportsCompletionsRequest) {
      return [];
    }
    const body = await this.#ask('completions', { text, column, frameId }, dap.completionsBodySchema);
    return body.targets.map((target) => target.text ?? target.label);
  }

  /** Whether `response` is known here: elsewhere what is answered is one of the scopes. */
  get tellsResponse(): boolean {
    return amberCapabilitySchema.safeParse(this.capabilities().amber).data?.response === true;
  }

  /** What the request has answered so far, with what has not gone out yet. */
  async response(): Promise<ResponseSoFar> {
    const { response } = await this.#ask(
      'amberResponse',
      { threadId: this.threadId },
      amberResponseBodySchema,
    );
    return response;
  }

  /** The error this thread stopped for, or undefined where the server does not tell. */
  async exceptionInfo(): Promise<dap.ExceptionInfo | undefined> {
    if (this.event.reason !== 'exception' || !this.capabilities().supportsExceptionInfoRequest) {
      return undefined;
    }
    return await this.#ask('exceptionInfo', { threadId: this.threadId }, dap.exceptionInfoBodySchema);
  }

  async resume(): Promise<void> {
    await this.#go('continue', { threadId: this.threadId, singleThread: true });
  }

  /** `anywhere`: into foreign code as well (our own servers; others decide for themselves). */
  async step(kind: StepKind, anywhere = false): Promise<void> {
    const args = {
      threadId: this.threadId,
      singleThread: true,
      ...(anywhere ? { amberAnywhere: true } : {}),
    };
    await this.#go(STEP_REQUESTS[kind], args);
  }

  /** Runs a frame again from its first line. @throws AmberError `AL_NOT_SUPPORTED` */
  async restartFrame(frameId: number): Promise<void> {
    if (!this.capabilities().supportsRestartFrame) {
      throw new AmberError('AL_NOT_SUPPORTED', 'this target cannot run a frame again');
    }
    await this.#go('restartFrame', { frameId });
  }

  async #go(command: string, args: object): Promise<void> {
    this.#requireStopped();
    // The thread may stop again before the answer is here; the handles are void from now on either way.
    this.moved(this);
    try {
      await this.client.request(command, args, anything);
    } catch (error) {
      // A program that ends at once may not get to answer; that it has ended is told by the session.
      if (!(error instanceof AmberError && error.code === 'AL_TARGET_GONE')) {
        throw error;
      }
    }
  }

  #ask<T extends z.ZodType>(
    command: string,
    args: object,
    schema: T,
    options?: RequestOptions,
  ): Promise<z.infer<T>> {
    this.#requireStopped();
    return this.client.request(command, args, schema, options);
  }

  #requireStopped(): void {
    if (this.#over) {
      throw new AmberError('AL_NOT_STOPPED', 'the thread has moved on', '`pause` stops it where it is');
    }
  }
}

function toValue(
  text: string,
  body: { type?: string; variablesReference: number; namedVariables?: number; indexedVariables?: number },
): Value {
  return {
    text,
    type: body.type ?? '',
    reference: body.variablesReference,
    named: body.namedVariables ?? 0,
    indexed: body.indexedVariables ?? 0,
  };
}
