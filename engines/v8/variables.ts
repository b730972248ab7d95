import { RequestError } from '../../src/adapters/dap-server.js';
import { HIDDEN, type Veil } from '../../src/core/veil.js';
import type { Channel } from './channel.js';
import { elementParts } from './elements.js';
import { evaluateIn, SHOWN_OBJECTS } from './evaluation.js';
import { callOf, type Frame, type Frames } from './frames.js';
import { evaluatedSchema, propertiesSchema, type RemoteObject, type Scope } from './protocol.js';
import type { Scripts } from './scripts.js';
import { HELPER, isOurName } from './splice/code.js';
import { isIndex, isList, listLength, memberPath, textOf, typeOf } from './values.js';

/** Children sent at once to a client that does not ask for pages. */
const PAGE = 1000;
/** Names that Node's module wrapper gives to every file. */
const WRAPPER = new Set(['exports', 'require', 'module', '__filename', '__dirname', 'arguments']);

/** What a variablesReference stands for. */
type Held =
  | { kind: 'scope'; scopes: Scope[]; extra: [string, RemoteObject][]; frame: Frame }
  | { kind: 'value'; value: RemoteObject; path: string | undefined; frame: Frame }
  | { kind: 'group'; variables: object[] };

/** The scopes of a pause's frames and all that can be opened in them; the handles given out for that. */
export class Variables {
  readonly #held = new Map<number, Held>();

  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
    private readonly frames: Frames,
    private readonly nextReference: () => number,
    private readonly veil: Veil,
  ) {}

  /** Whether a reference was given out here. */
  has(reference: number): boolean {
    return this.#held.has(reference);
  }

  async scopes(frameId: number): Promise<object> {
    const frame = this.frames.get(frameId);
    const chain = callOf(frame).scopeChain;
    // Blocks inside the function and the function itself are one scope to whoever reads them.
    const inner = chain.findIndex(({ type }) => type !== 'block' && type !== 'catch');
    const isOwn = ['local', 'module'].includes(chain[inner]?.type ?? '');
    const locals = chain.slice(0, isOwn ? inner + 1 : inner);
    const extra: [string, RemoteObject][] =
      callOf(frame).this.type === 'undefined' ? [] : [['this', callOf(frame).this]];
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

  /** What is sent here, what the request that is served carries, and what has been answered so far, where that is known. */
  async #scopesOfRequest(frame: Frame): Promise<object[]> {
    const found: object[] = [];
    for (const [name, call] of [
      ['Sent', 'shown'],
      ['Request', 'carried'],
      ['Response', 'answered'],
    ] as const) {
      const expression = `typeof ${HELPER} === 'undefined' ? undefined : ${HELPER}.${call}()`;
      const value = await evaluateIn(this.channel, frame, expression).catch(() => undefined);
      if (value?.objectId !== undefined) {
        found.push(this.#scope(name, '', { kind: 'value', value, path: undefined, frame }, name !== 'Sent'));
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

  /** What a reference holds, from the `start`th on; `count` 0 is as many as are sent at once. */
  async under(reference: number, start: number, count: number, filter: string): Promise<object> {
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
    const { names } = await this.frames.namesOf(frame);
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
        ? await elementParts(this.channel, value.objectId ?? '', SHOWN_OBJECTS, this.veil)
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
      objectGroup: SHOWN_OBJECTS,
    };
    const { result } = await this.channel.send('Runtime.callFunctionOn', args, evaluatedSchema);
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
    return this.channel.send('Runtime.getProperties', args, propertiesSchema);
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
    const { result, ...rest } = this.shown(value, path, frame);
    return { name, value: result, ...rest, ...(path ? { evaluateName: path } : {}) };
  }

  /** A value as it is told to the client, with a handle to what it holds. */
  shown(value: RemoteObject, path: string | undefined, frame: Frame, limit?: number) {
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

  /** Every name that code in a frame can use, as people wrote them. */
  async visibleNames(frame: Frame): Promise<string[]> {
    const names: string[] = [];
    for (const scope of callOf(frame).scopeChain) {
      const { result } = await this.#properties(scope.object.objectId ?? '');
      const written = await this.#writtenIn(scope, frame);
      names.push(...result.filter(({ name }) => !isOurName(name)).map(({ name }) => written(name) ?? name));
    }
    return names;
  }

  /** The names of an object's members, inherited ones too. */
  async memberNames({ objectId = '' }: RemoteObject): Promise<string[]> {
    const args = { objectId, ownProperties: false };
    return (await this.channel.send('Runtime.getProperties', args, propertiesSchema)).result.map(
      ({ name }) => name,
    );
  }

  #hold(held: Held): number {
    const number = this.nextReference();
    this.#held.set(number, held);
    return number;
  }
}
