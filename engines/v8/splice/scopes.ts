import { analyze, type Scope, type Variable } from 'eslint-scope';
import type { AnyNode } from './syntax.js';

export type { Variable } from 'eslint-scope';

/** The scopes of a source, by the rules of ECMAScript. */
export class Scopes {
  readonly #outermost: Scope;
  readonly variables: Variable[] = [];
  /** Identifiers that no variable of the source stands for. */
  readonly free: AnyNode[];

  /** @param tree with ranges, as `treeOf` gives it */
  constructor(tree: AnyNode) {
    const manager = analyze(tree as never, {
      ecmaVersion: 2024,
      sourceType: tree.sourceType === 'module' ? 'module' : 'script',
      fallback: 'iteration',
    });
    this.#outermost = manager.globalScope as Scope;
    this.free = this.#outermost.through.map(({ identifier }) => identifier as unknown as AnyNode);
    for (const scope of manager.scopes) {
      this.variables.push(...scope.variables);
    }
  }

  /** The variables that code at an offset sees, the innermost first; one that is shadowed is not among them. */
  visibleAt(offset: number): Variable[] {
    return visibleFrom(this.#chainAt(offset));
  }

  /** The variables that the innermost function around an offset sees from outside. */
  visibleAround(offset: number): Variable[] {
    return visibleFrom(this.#chainAround(offset).around);
  }

  /** The variable that the innermost function around an offset is kept in, if it has that name. */
  ofFunction(offset: number, name: string): Variable | undefined {
    const { own, around } = this.#chainAround(offset);
    return visibleFrom(around).find(
      (variable) =>
        variable.name === name &&
        variable.defs.some(
          ({ node }) => node === own?.block || (node as { init?: unknown }).init === own?.block,
        ),
    );
  }

  #chainAround(offset: number): { own: Scope | undefined; around: Scope[] } {
    const chain = this.#chainAt(offset);
    const own = chain.find(({ type }) => type === 'function');
    return { own, around: chain.slice(own === undefined ? 0 : chain.indexOf(own) + 1) };
  }

  /** The scopes around an offset, from the inside to the outside. */
  #chainAt(offset: number): Scope[] {
    const chain: Scope[] = [];
    let scope: Scope | undefined = this.#outermost;
    while (scope !== undefined) {
      chain.unshift(scope);
      scope = scope.childScopes.find((inner) => isIn(offset, inner.block as unknown as AnyNode));
    }
    return chain;
  }
}

function visibleFrom(chain: readonly Scope[]): Variable[] {
  const visible = new Map<string, Variable>();
  for (const variable of chain.flatMap(({ variables }) => variables)) {
    if (!visible.has(variable.name)) {
      visible.set(variable.name, variable);
    }
  }
  return [...visible.values()];
}

function isIn(offset: number, { start, end }: AnyNode): boolean {
  return start <= offset && offset < end;
}
