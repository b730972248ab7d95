import { RequestError } from '../../src/adapters/dap-server.js';
import { HIDDEN, type Veil } from '../../src/core/veil.js';
import type { Channel } from './channel.js';
import { elementParts } from './elements.js';
import type { OriginalNames } from './original-names.js';
import {
  type AsyncStack,
  anythingSchema,
  type CallFrame,
  type ExceptionDetails,
  evaluatedSchema,
  type Paused,
  propertiesSchema,
  type RemoteObject,
  remoteObjectSchema,
  type Scope,
} from './protocol.js';
import { isForeign, type Scripts } from './scripts.js';
import { HELPER, isOurName } from './splice/code.js';
import type { Position } from './splice/rewrite.js';
import { isIndex, isList, listLength, memberPath, textOf, typeOf } from './values.js';

/** Objects that were shown belong to this group, which is released when the thread goes on. */
const GROUP = 'amber';
const LONG = 10_000;
/** Children sent at once to a client that does not ask for pages. */
const PAGE = 1000;
/** Names that Node's module wrapper gives to every file. */
const WRAPPER = new Set(['exports', 'require', 'module', '__filename', '__dirname', 'arguments']);

interface Frame {
  call?: CallFrame;
  name: string;
  url: string;
  scriptId: string;
  /** In the running text, both from 0. */
  position: Position;
}

/** What a variablesReference stands for. */
type Held =
  | { kind: 'scope'; scopes: Scope[]; extra: [string, RemoteObject][]; frame: Frame }
  | { kind: 'value'; value: RemoteObject; path: string | undefined; frame: Frame }
  | { kind: 'group'; variables: object[] };

/** One pause: its frames, and the handles given out during it. */
export class PausedThread {
  readonly #frames = new Map<number, Frame>();
  readonly #held = new Map<number, Held>();
  readonly #order: number[] = [];

  constructor(
    private readonly inspector: Channel,
    private readonly scripts: Scripts,
    readonly paused: Paused,
    private readonly foreign: readonly RegExp[],
    private readonly nextReference: () => number,
    private readonly veil: Veil,
  ) {
    for (const call of paused.callFrames) {
      const { scriptId, lineNumber, columnNumber } = call.location;
      const position = { line: lineNumber, column: columnNumber };
      this.#addFrame({ call, name: call.functionName, url: call.url, scriptId, position });
    }
    for (let stack: AsyncStack | undefined = paused.asyncStackTrace; stack; stack = stack.parent) {
      for (const { functionName, url, scriptId, lineNumber, columnNumber } of stack.callFrames) {
        const position = { line: lineNumber, column: columnNumber };
        this.#addFrame({ name: functionName, url, scriptId, position });
      }
    }
  }

  #addFrame(frame: Frame): void {
    const number = this.nextReference();
    this.#frames.set(number, frame);
    this.#order.push(number);
  }

  async stackTrace(start: number, levels: number): Promise<object> {
    const page = this.#order.slice(start, levels > 0 ? start + levels : undefined);
    const stackFrames = await Promise.all(page.map((number) => this.#stackFrame(number)));
    return { stackFrames, totalFrames: this.#order.length };
  }

  /** Names as people wrote them in the code of a frame, and where that stands; nothing of packages, which may be long. */
  async #namesOf(frame: Frame): Promise<{ names: OriginalNames | undefined; offset: number }> {
    const script = this.scripts.get(frame.scriptId);
    if (script === undefined || script.map === undefined || isForeign(script.url, this.foreign)) {
      return { names: undefined, offset: 0 };
    }
    return { names: await script.names(), offset: await script.offsetOf(frame.position) };
  }

  /** An expression that people wrote, as it is to be computed in a frame. */
  async #compiled(frame: Frame, expression: string): Promise<string> {
    const { names, offset } = await this.#namesOf(frame);
    return names?.compiled(expression, offset) ?? expression;
  }

  async #stackFrame(number: number): Promise<object> {
    const frame = this.#frame(number);
    const script = this.scripts.get(frame.scriptId);
    const url = script?.url || frame.url;
    const place = script?.original(frame.position);
    const { line: lineNumber, column: columnNumber } = frame.position;
    const location = { scriptId: frame.scriptId, lineNumber, columnNumber };
    const { names, offset } = await this.#namesOf(frame);
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

  /** Whether this pause has given out a frame or reference. */
  knows(number: number): boolean {
    return this.#frames.has(number) || this.#held.has(number);
  }

  /** The engine's own id of a frame that is still running. @throws RequestError `noSuchFrame` */
  callFrameId(frameId: number): string {
    return this.#call(this.#frame(frameId)).callFrameId;
  }

  async scopes(frameId: number): Promise<object> {
    const frame = this.#frame(frameId);
    const chain = this.#call(frame).scopeChain;
    // Blocks inside the function and the function itself are one scope to whoever reads them.
    const inner = chain.findIndex(({ type }) => type !== 'block' && type !== 'catch');
    const isOwn = ['local', 'module'].includes(chain[inner]?.type ?? '');
    const locals = chain.slice(0, isOwn ? inner + 1 : inner);
    const extra: [string, RemoteObject][] =
      this.#call(frame).this.type === 'undefined' ? [] : [['this', this.#call(frame).this]];
    const scopes = [this.#scope('Locals', 'locals', { kind: 'scope', scopes: locals, extra, frame }, false)];
    const closures = chain
      .slice(locals.length)
      .filter(({ type }) => type === 'closure' || type === 'module' || type === 'script');
    for (const [type, name] of [
      ['closure', 'Closure'],
      ['module', 'Module'],
      ['script', 'Script'],
    ] as const) {
      const inside = closures.filter((scope) => scope.type === type);
      if (inside.length > 0) {
        const held: Held = { kind: 'scope', scopes: inside, extra: [], frame };
        scopes.push(this.#scope(name, '', held, type === 'script'));
      }
    }
    const global = chain.find(({ type }) => type === 'global');
    if (global) {
      scopes.push(
        this.#scope('Globals', 'globals', { kind: 'scope', scopes: [global], extra: [], frame }, true),
      );
    }
    return { scopes: [...scopes, ...(await this.#scopesOfRequest(frame))] };
  }

  /** What the request that is served carries, and what has been answered so far, where that is known. */
  async #scopesOfRequest(frame: Frame): Promise<object[]> {
    const found: object[] = [];
    for (const [name, call] of [
      ['Request', 'carried'],
      ['Response', 'answered'],
    ] as const) {
      const expression = `typeof ${HELPER} === 'undefined' ? undefined : ${HELPER}.${call}()`;
      const value = await this.#evaluateIn(frame, expression).catch(() => undefined);
      if (value?.objectId !== undefined) {
        found.push(this.#scope(name, '', { kind: 'value', value, path: undefined, frame }, true));
      }
    }
    return found;
  }

  #scope(name: string, hint: string, held: Held, expensive: boolean): object {
    return {
      name,
      variablesReference: this.#hold(held),
      expensive,
      ...(hint ? { presentationHint: hint } : {}),
    };
  }

  async variables(reference: number, start: number, count: number, filter: string): Promise<object> {
    const held = this.#held.get(reference);
    if (held === undefined) {
      throw new RequestError('noSuchReference', 'this reference does not hold variables');
    }
    if (held.kind === 'group') {
      return { variables: held.variables.slice(start, start + (count || PAGE)) };
    }
    if (held.kind === 'scope') {
      return { variables: (await this.#scopeVariables(held)).slice(start, start + (count || PAGE)) };
    }
    return {
      variables: await this.#children(held.value, held.path, held.frame, start, count || PAGE, filter),
    };
  }

  async #scopeVariables(held: Extract<Held, { kind: 'scope' }>): Promise<object[]> {
    const found = new Map<string, object>();
    /** What nobody has written: Node's wrapper of modules, and a compiler's own. */
    const special: object[] = [];
    for (const [name, value] of held.extra) {
      found.set(name, this.#variable(name, value, name, held.frame));
    }
    const seen = new Set<string>();
    for (const scope of held.scopes) {
      const { result } = await this.#properties(scope.object.objectId ?? '');
      const written = await this.#writtenIn(scope, held.frame);
      for (const { name: compiled, value } of result) {
        const name = written(compiled);
        if (value === undefined || seen.has(compiled) || found.has(name ?? '') || isOurName(compiled)) {
          continue;
        }
        seen.add(compiled);
        if (name === undefined) {
          special.push(this.#variable(compiled, value, compiled, held.frame));
          continue;
        }
        const variable = this.#variable(name, value, name, held.frame);
        if (WRAPPER.has(name)) {
          special.push(variable);
        } else {
          found.set(name, variable);
        }
      }
    }
    const variables = [...found.values()];
    return special.length === 0 ? variables : [...variables, this.#group('special', special)];
  }

  /** What people call the variables of a scope; undefined for one of a compiler's. */
  async #writtenIn({ startLocation }: Scope, frame: Frame): Promise<(name: string) => string | undefined> {
    const { names } = await this.#namesOf(frame);
    if (names === undefined || startLocation === undefined || startLocation.scriptId !== frame.scriptId) {
      return (name) => name;
    }
    const start = { line: startLocation.lineNumber, column: startLocation.columnNumber };
    // What begins just there is not yet one of the scopes inside it.
    const offset = ((await this.scripts.get(frame.scriptId)?.offsetOf(start)) ?? 0) + 1;
    return (name) => names.written(name, offset);
  }

  #group(name: string, variables: object[]): object {
    const reference = this.#hold({ kind: 'group', variables });
    return {
      name,
      value: `${variables.length} names`,
      type: '',
      variablesReference: reference,
      namedVariables: variables.length,
    };
  }

  async #children(
    value: RemoteObject,
    path: string | undefined,
    frame: Frame,
    start: number,
    count: number,
    filter: string,
  ) {
    if (isList(value.subtype) && filter !== 'named') {
      return await this.#items(value, path, frame, start, count);
    }
    const {
      result,
      internalProperties = [],
      privateProperties = [],
    } = await this.#properties(value.objectId ?? '');
    const parts =
      value.subtype === 'node'
        ? await elementParts(this.inspector, value.objectId ?? '', GROUP, this.veil)
        : [];
    const shown = parts.map(({ name, value: held, member }) =>
      this.#variable(name, held, member && path && `${path}${member}`, frame),
    );
    const variables = [...result, ...privateProperties].map(({ name, value: held, get }) =>
      held === undefined && get !== undefined
        ? {
            name,
            value: '(getter, read on request)',
            type: '',
            variablesReference: 0,
            evaluateName: memberPath(path, name),
          }
        : this.#variable(name, held ?? { type: 'undefined' }, memberPath(path, name), frame),
    );
    const internal = internalProperties
      .filter(({ name, value: held }) => held !== undefined && name !== '[[Prototype]]')
      .map(({ name, value: held }) => this.#variable(name, held as RemoteObject, undefined, frame));
    return [...shown, ...variables, ...internal].slice(start, start + count);
  }

  /** A page of an array, taken by the engine itself so that a long one is never sent whole. */
  async #items(value: RemoteObject, path: string | undefined, frame: Frame, start: number, count: number) {
    const args = {
      objectId: value.objectId,
      functionDeclaration: 'function (from, to) { return Array.prototype.slice.call(this, from, to); }',
      arguments: [{ value: start }, { value: start + count }],
      objectGroup: GROUP,
    };
    const { result } = await this.inspector.send('Runtime.callFunctionOn', args, evaluatedSchema);
    const page = await this.#properties(result.objectId ?? '');
    return page.result
      .filter(({ name }) => isIndex(name))
      .map(({ name, value: held }) => {
        const index = start + Number(name);
        return this.#variable(
          `[${index}]`,
          held ?? { type: 'undefined' },
          path && `${path}[${index}]`,
          frame,
        );
      });
  }

  #properties(objectId: string) {
    const args = { objectId, ownProperties: true, generatePreview: true };
    return this.inspector.send('Runtime.getProperties', args, propertiesSchema);
  }

  #variable(name: string, value: RemoteObject, path: string | undefined, frame: Frame): object {
    if (this.veil.hides(name) && value.type !== 'function') {
      return {
        name,
        value: HIDDEN,
        type: typeOf(value),
        variablesReference: 0,
        ...(path ? { evaluateName: path } : {}),
      };
    }
    const { result, ...rest } = this.#value(value, path, frame);
    return { name, value: result, ...rest, ...(path ? { evaluateName: path } : {}) };
  }

  #value(value: RemoteObject, path: string | undefined, frame: Frame, limit?: number) {
    const isObject = value.objectId !== undefined && value.type !== 'symbol';
    const length = isList(value.subtype) ? listLength(value.description) : 0;
    return {
      result: textOf(value, limit, this.veil),
      type: typeOf(value),
      variablesReference: isObject ? this.#hold({ kind: 'value', value, path, frame }) : 0,
      ...(length > 0 ? { indexedVariables: length } : {}),
      ...(isObject && length === 0 ? { namedVariables: value.preview?.properties.length ?? 0 } : {}),
    };
  }

  async evaluate(expression: string, frameId: number | undefined, isLong: boolean): Promise<object> {
    const frame = this.#frame(frameId ?? this.#order[0] ?? 0);
    const value = await this.#evaluateIn(frame, await this.#compiled(frame, expression));
    if (this.veil.hidesExpression(expression) && value.type !== 'function') {
      return { result: HIDDEN, type: typeOf(value), variablesReference: 0 };
    }
    const path = /^[\p{L}_$][\p{L}\p{N}_$.[\]'"]*$/u.test(expression) ? expression : `(${expression})`;
    return this.#value(value, path, frame, isLong ? LONG : undefined);
  }

  /** Stores a value and gives what is there afterwards. */
  async assign(target: string, expression: string, frameId: number): Promise<object> {
    const frame = this.#frame(frameId);
    await this.#evaluateIn(frame, await this.#compiled(frame, `${target} = (${expression})`));
    const stored = await this.#evaluateIn(frame, await this.#compiled(frame, target));
    const { result, ...rest } = this.#value(stored, target, frame);
    return { value: result, ...rest };
  }

  async completions(text: string, frameId: number | undefined): Promise<object> {
    const frame = this.#frame(frameId ?? this.#order[0] ?? 0);
    const match = /((?:[\p{L}_$][\p{L}\p{N}_$]*\.)*)([\p{L}\p{N}_$]*)$/u.exec(text);
    const [, base = '', prefix = ''] = match ?? [];
    const names =
      base === '' ? await this.#visibleNames(frame) : await this.#memberNames(frame, base.slice(0, -1));
    const targets = names.filter((name) => name.startsWith(prefix) && /^[\p{L}_$]/u.test(name));
    return {
      targets: [...new Set(targets)].slice(0, 200).map((label) => ({ label, length: prefix.length })),
    };
  }

  async #visibleNames(frame: Frame): Promise<string[]> {
    const names: string[] = [];
    for (const scope of this.#call(frame).scopeChain) {
      const { result } = await this.#properties(scope.object.objectId ?? '');
      const written = await this.#writtenIn(scope, frame);
      names.push(...result.filter(({ name }) => !isOurName(name)).map(({ name }) => written(name) ?? name));
    }
    return names;
  }

  async #memberNames(frame: Frame, base: string): Promise<string[]> {
    const value = await this.#evaluateIn(frame, await this.#compiled(frame, base), true);
    const args = { objectId: value.objectId ?? '', ownProperties: false };
    return (await this.inspector.send('Runtime.getProperties', args, propertiesSchema)).result.map(
      ({ name }) => name,
    );
  }

  async #evaluateIn(frame: Frame, expression: string, isHarmless = false): Promise<RemoteObject> {
    const args = {
      callFrameId: this.#call(frame).callFrameId,
      // What begins with a brace is meant as an object, not as a block.
      expression: expression.trimStart().startsWith('{') ? `(${expression})` : expression,
      objectGroup: GROUP,
      generatePreview: true,
      silent: true,
      throwOnSideEffect: isHarmless,
    };
    const { result, exceptionDetails } = await this.inspector.send(
      'Debugger.evaluateOnCallFrame',
      args,
      evaluatedSchema,
    );
    if (exceptionDetails !== undefined) {
      throw errorOf(exceptionDetails);
    }
    return remoteObjectSchema.parse(result);
  }

  /** The numbers in a list of our own. */
  async numbers(name: string): Promise<number[]> {
    const { result } = await this.#inTop(`${name}.join()`);
    return String(result.value).split(',').filter(Boolean).map(Number);
  }

  async #inTop(expression: string) {
    const [first] = this.#order;
    return { result: await this.#evaluateIn(this.#frame(first ?? 0), expression) };
  }

  async release(): Promise<void> {
    await this.inspector
      .send('Runtime.releaseObjectGroup', { objectGroup: GROUP }, anythingSchema)
      .catch(() => undefined);
  }

  #hold(held: Held): number {
    const number = this.nextReference();
    this.#held.set(number, held);
    return number;
  }

  #frame(number: number): Frame {
    const frame = this.#frames.get(number);
    if (frame === undefined) {
      throw new RequestError('noSuchFrame', 'there is no such frame any more');
    }
    return frame;
  }

  #call(frame: Frame): CallFrame {
    if (frame.call === undefined) {
      throw new RequestError(
        'noSuchFrame',
        'this frame has ended (it started what runs now); only its place is known',
      );
    }
    return frame.call;
  }
}

function errorOf({ text, exception }: ExceptionDetails): RequestError {
  const description = exception?.description?.split('\n')[0] ?? (exception ? textOf(exception) : text);
  return new RequestError(exception?.className === 'SyntaxError' ? 'syntax' : 'raised', description);
}
