import { HELPER } from './code.js';
import { Scopes } from './scopes.js';
import { treeOf } from './statements.js';
import { type AnyNode, childrenOf } from './syntax.js';

/** What the request that is served is called in expressions, where the program has nothing of that name. */
const REQUEST = 'request';
/** The same of one that is sent; and the helper's part that gives each. */
const SENT = 'sent';
const GIVEN: Record<string, string> = { [REQUEST]: 'asked', [SENT]: 'sent' };

/** Whether an expression may ask for the request that is served. */
export function asksForRequest(expression: string): boolean {
  return expression.includes(REQUEST);
}

/** Names that mean the same wherever an expression is computed. */
const EVERYWHERE = new Set(
  'undefined NaN Infinity JSON Math Number String Boolean Array Object Date RegExp URL Map Set BigInt globalThis parseInt parseFloat isNaN decodeURIComponent encodeURIComponent'.split(
    ' ',
  ),
);

/** Whether expressions name anything of the program's own, or what a frame alone has. */
export function needsFrame(expressions: readonly string[]): boolean {
  return expressions.some((expression) => {
    const tree = treeOf(`(${expression}\n)`);
    if (tree === undefined || /\bthis\b|\barguments\b|\bawait\b/.test(expression)) {
      return true;
    }
    return new Scopes(tree).free.some(
      ({ name }) => !(String(name) in GIVEN) && !EVERYWHERE.has(String(name)),
    );
  });
}

/**
 * An expression with what the served request carries, or the one that is sent, in the place of a name that the program does
 * not have: which that is only the running code knows. What it cannot read is left as it is.
 * @param isShown whether what comes of it is told, so that what has a secret name is hidden in it
 */
export function withServedRequest(expression: string, isShown: boolean): string {
  const mayAsk = asksForRequest(expression) || expression.includes(SENT);
  const tree = mayAsk ? treeOf(`(${expression}\n)`) : undefined;
  if (tree === undefined) {
    return expression;
  }
  const free = new Map(
    new Scopes(tree).free
      .filter(({ name }) => String(name) in GIVEN)
      .map(({ start, name }) => [start, String(name)]),
  );
  const places: { start: number; end: number; code: string }[] = [];
  const visit = (node: AnyNode, parent: AnyNode | undefined): void => {
    const isTarget = parent?.type === 'AssignmentExpression' && parent.left === node;
    const isTyped = parent?.type === 'UnaryExpression' && parent.operator === 'typeof';
    const name = node.type === 'Identifier' ? free.get(node.start) : undefined;
    if (name !== undefined && free.delete(node.start) && !isTarget && !isTyped) {
      const ours = `(typeof ${name}==='undefined'?${HELPER}.${GIVEN[name]}(${isShown}):${name})`;
      const isShort = parent?.type === 'Property' && parent.shorthand === true;
      places.push({ start: node.start - 1, end: node.end - 1, code: isShort ? `${name}:${ours}` : ours });
    }
    for (const { node: child } of childrenOf(node)) {
      visit(child, node);
    }
  };
  visit(tree, undefined);
  return places
    .sort((one, other) => other.start - one.start)
    .reduce((text, { start, end, code }) => text.slice(0, start) + code + text.slice(end), expression);
}
