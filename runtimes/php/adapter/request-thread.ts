import { EventEmitter } from 'node:events';
import type { Element } from '@xmldom/xmldom';
import { RequestError } from '../../../src/adapters/dap-server.js';
import type { AmberRequest, Holds } from '../../../src/core/dap/extensions.js';
import { patient } from '../../../src/core/patience.js';
import { attribute, childrenOf, type DbgpConnection, EngineError, jsonOf } from './dbgp.js';
import { type Property, pathOf, readProperty } from './properties.js';

/** Children on one page of an engine's answer. */
const PAGE = 100;
/** Characters of a value that was asked for by itself. */
const LONG = 10_000;
/** Our agent lets a request go on when it has heard nothing for 20 s. */
const HEARTBEAT = 5_000;

/** Why a request is held. */
export interface RequestStop {
  reason: 'breakpoint' | 'step' | 'entry' | 'exception' | 'pause';
  marks: number[];
  error: { type: string; text: string } | undefined;
}

interface ThreadEvents {
  stopped: [RequestStop];
  ended: [];
}

type GoingOn = 'run' | 'step_into' | 'step_over' | 'step_out';

/** What a number that was given to the client stands for. */
type Handle = { depth: number; context: number } | { depth: number; context: number; property: Property };

/** One request (or one run of a script), which is one connection of an engine: a thread of DAP. */
export class RequestThread extends EventEmitter<ThreadEvents> {
  isStopped = false;
  stop: RequestStop | undefined;
  readonly isOurs: boolean;
  readonly request: AmberRequest | undefined;
  /** What is held while it is. */
  readonly holds: Holds | undefined;
  /** When it began, in microseconds since 1970. */
  readonly began: number | undefined;
  /** Whether the client has been told of it. */
  isTold = false;
  readonly #handles = new Map<number, Handle>();
  #beat: NodeJS.Timeout | undefined;

  constructor(
    readonly id: number,
    readonly connection: DbgpConnection,
    readonly init: Element,
    private readonly nextReference: () => number,
  ) {
    super();
    this.isOurs = init.hasAttribute('xmlns:amber');
    this.request = readRequest(init, id);
    this.holds =
      attribute(init, 'amber:alone') === '1'
        ? { what: 'the server, which serves one request at a time', waiting: null }
        : undefined;
    const [told] = childrenOf(init, 'request');
    this.began = told?.hasAttribute('began') ? Number(attribute(told, 'began')) : undefined;
    connection.once('closed', () => {
      this.#leaveStop();
      this.emit('ended');
    });
  }

  get name(): string {
    const script = pathOfUri(attribute(this.init, 'fileuri'));
    return this.request
      ? `${this.request.method} ${this.request.target}`
      : (script.split('/').pop() ?? script);
  }

  /** Whether a frame or reference was given out by this stop. */
  knows(number: number): boolean {
    return this.#handles.has(number);
  }

  /** Lets the request go on; it is answered when it stops again, or has ended. */
  go(command: GoingOn): void {
    this.#leaveStop();
    this.connection.send(command).then(
      (answer) => this.#onStatus(answer),
      () => undefined,
    );
  }

  /** Takes leave of the request, which goes on without us. */
  async detach(): Promise<void> {
    const wasStopped = this.isStopped;
    this.#leaveStop();
    if (wasStopped) {
      await this.connection.send('detach').catch(() => undefined);
    }
    this.connection.close();
  }

  #onStatus(answer: Element): void {
    if (attribute(answer, 'status') !== 'break') {
      return;
    }
    const [ours] = childrenOf(answer, 'stop');
    const reason = ours ? attribute(ours, 'reason') : 'breakpoint';
    this.isStopped = true;
    this.stop = {
      reason: reason === 'error' ? 'exception' : (reason as RequestStop['reason']),
      marks: ours ? attribute(ours, 'marks').split(',').filter(Boolean).map(Number) : [],
      error:
        ours && reason === 'error'
          ? { type: attribute(ours, 'type'), text: attribute(ours, 'text') }
          : undefined,
    };
    if (this.isOurs) {
      this.#keepAlive();
    }
    this.emit('stopped', this.stop);
  }

  #keepAlive(): void {
    const beat = () => void this.connection.send('xcmd_amber_heartbeat').catch(() => undefined);
    beat();
    this.#beat = setInterval(beat, HEARTBEAT);
    this.#beat.unref();
  }

  #leaveStop(): void {
    clearInterval(this.#beat);
    this.isStopped = false;
    this.stop = undefined;
    this.#handles.clear();
  }

  #give(handle: Handle): number {
    const number = this.nextReference();
    this.#handles.set(number, handle);
    return number;
  }

  #handle(number: number | undefined): Handle {
    const handle = number === undefined ? { depth: 0, context: 0 } : this.#handles.get(number);
    if (handle === undefined || !this.isStopped) {
      throw new RequestError('notStopped', 'the request has gone on since');
    }
    return handle;
  }

  async stackTrace(start: number, levels: number): Promise<object> {
    const answer = await this.#ask('stack_get');
    const all = childrenOf(answer, 'stack');
    const wanted = levels > 0 ? all.slice(start, start + levels) : all.slice(start);
    const stackFrames = wanted.map((frame, index) => {
      const path = pathOfUri(attribute(frame, 'filename'));
      return {
        id: this.#give({ depth: start + index, context: 0 }),
        name: attribute(frame, 'where'),
        source: { name: path.split('/').pop(), path },
        line: Number(attribute(frame, 'lineno')),
        column: 1,
        ...(attribute(frame, 'amber:foreign') === '1' ? { presentationHint: 'subtle' } : {}),
      };
    });
    return { stackFrames, totalFrames: all.length };
  }

  async scopes(frameId: number): Promise<object> {
    const { depth } = this.#handle(frameId);
    const answer = await this.#ask('context_names', { d: depth });
    const scopes = childrenOf(answer, 'context').map((context) => {
      const id = Number(attribute(context, 'id'));
      return {
        name: attribute(context, 'name'),
        variablesReference: this.#give({ depth, context: id }),
        // What is not of the frame may be much, and is asked for when it is looked at.
        expensive: id !== 0,
      };
    });
    return { scopes };
  }

  async variables(reference: number, start: number, count: number, filter: string): Promise<object> {
    const handle = this.#handle(reference);
    const { depth, context } = handle;
    if (!('property' in handle)) {
      const answer = await this.#ask('context_get', { d: depth, c: context });
      const all = childrenOf(answer, 'property').map(readProperty);
      return { variables: slice(all, start, count).map((property) => this.#variable(property, handle)) };
    }
    const { property } = handle;
    if ((filter === 'indexed') !== property.isList && filter !== '') {
      return { variables: [] };
    }
    const children = await this.#children(property, handle, start, count || property.children - start);
    return { variables: children.map((child) => this.#variable(child, handle)) };
  }

  async #children(property: Property, handle: Handle, start: number, count: number): Promise<Property[]> {
    const found: Property[] = [];
    const first = Math.floor(start / PAGE);
    for (let page = first; page * PAGE < Math.min(start + count, property.children); page += 1) {
      const options = { n: property.fullName, d: handle.depth, c: handle.context, p: page };
      const [answer] = childrenOf(await this.#ask('property_get', options), 'property');
      found.push(...(answer ? readProperty(answer).page : []));
    }
    return found.slice(start - first * PAGE, start - first * PAGE + count);
  }

  #variable(property: Property, { depth, context }: Handle): object {
    const path = pathOf(property);
    return {
      name: property.name,
      ...(path === undefined ? {} : { evaluateName: path }),
      ...this.#value(property, { depth, context }),
      value: property.value,
    };
  }

  #value(property: Property, { depth, context }: { depth: number; context: number }) {
    const { type, children, isList } = property;
    return {
      type,
      variablesReference: children > 0 ? this.#give({ depth, context, property }) : 0,
      ...(children === 0 ? {} : isList ? { indexedVariables: children } : { namedVariables: children }),
    };
  }

  async evaluate(expression: string, frameId: number | undefined, isLong: boolean): Promise<object> {
    const { depth, context } = this.#handle(frameId);
    const options = { d: depth, ...(isLong ? { m: LONG } : {}) };
    const property = await this.#computed('eval', options, expression);
    return { result: property.value, ...this.#value(property, { depth, context }) };
  }

  async assign(target: string, expression: string, frameId: number): Promise<object> {
    const { depth, context } = this.#handle(frameId);
    if (depth !== 0) {
      throw new RequestError(
        'notSupported',
        'variables of callers cannot be assigned in PHP; select frame 0',
      );
    }
    const property = await this.#computed('xcmd_amber_assign', { d: depth, n: target }, expression);
    return { value: property.value, ...this.#value(property, { depth, context }) };
  }

  async #computed(name: string, options: Record<string, string | number>, data: string): Promise<Property> {
    const [element] = childrenOf(await this.#ask(name, options, data), 'property');
    if (element === undefined) {
      return { name: '', fullName: '', value: 'null', type: 'null', children: 0, isList: false, page: [] };
    }
    return readProperty(element);
  }

  async completions(text: string, frameId: number | undefined): Promise<object> {
    const { depth } = this.#handle(frameId);
    const words = jsonOf(await this.#ask('xcmd_amber_completions', { d: depth }, text));
    return { targets: (Array.isArray(words) ? words : []).map((label) => ({ label: String(label) })) };
  }

  /** The answer so far: status, headers, what is in the output buffers. */
  async response(): Promise<unknown> {
    this.#handle(undefined);
    return jsonOf(await this.#ask('xcmd_amber_response'));
  }

  /** The files that the request has included so far. */
  async files(): Promise<string[]> {
    this.#handle(undefined);
    const paths = jsonOf(await this.#ask('xcmd_amber_sources'));
    return (Array.isArray(paths) ? paths : []).map(String);
  }

  /** Has a held request read the plan again. */
  async readPlan(): Promise<void> {
    if (this.isStopped && this.isOurs) {
      await this.#ask('xcmd_amber_plan').catch(() => undefined);
    }
  }

  async #ask(name: string, options: Record<string, string | number> = {}, data?: string): Promise<Element> {
    let late: NodeJS.Timeout | undefined;
    const tooLong = new Promise<never>((_, reject) => {
      const text = 'the request has not answered in time';
      late = setTimeout(() => reject(new RequestError('late', text)), patient(30_000));
      late.unref();
    });
    try {
      return await Promise.race([this.connection.send(name, options, data), tooLong]);
    } catch (error) {
      if (error instanceof EngineError) {
        throw new RequestError('raised', error.message);
      }
      throw error;
    } finally {
      clearTimeout(late);
    }
  }
}

function readRequest(init: Element, id: number): AmberRequest | undefined {
  const [request] = childrenOf(init, 'request');
  if (request === undefined) {
    return undefined;
  }
  return {
    id,
    method: attribute(request, 'method'),
    target: attribute(request, 'target'),
    traceparent: attribute(request, 'traceparent') || null,
  };
}

function slice<T>(all: T[], start: number, count: number): T[] {
  return count > 0 ? all.slice(start, start + count) : all.slice(start);
}

function pathOfUri(uri: string): string {
  if (!uri.startsWith('file://')) {
    return uri;
  }
  try {
    return decodeURIComponent(uri.slice('file://'.length));
  } catch {
    return uri.slice('file://'.length);
  }
}
