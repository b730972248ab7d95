import { HELPER } from './code.js';
import { Scopes } from './scopes.js';
import { treeOf } from './statements.js';
import { type AnyNode, childrenOf } from './syntax.js';

/** What the request that is served is called in expressions, where the program has nothing of that name. */
const REQUEST = 'request';

/** Whether an expression may ask for the request that is served. */
export function asksForRequest(expression: string): boolean {
  return expression.includes(REQUEST);
}

/**
 * An expression with what the served request carries in the place of a name that the program does not have: which that is
 * only the running code knows. What it cannot read is left as it is.
 * @param isShown whether what comes of it is told, so that what has a secret name is hidden in it
 */
export function withServedRequest(expression: string, isShown: boolean): string {
  const tree = asksForRequest(expression) ? treeOf(`(${expression}\n)`) : undefined;
  if (tree === undefined) {
    return expression;
  }
  const free = new Set(
    new Scopes(tree).free.filter(({ name }) => name === REQUEST).map(({ start }) => start),
  );
  const ours = `(typeof ${REQUEST}==='undefined'?${HELPER}.asked(${isShown}):${REQUEST})`;
  const places: { start: number; end: number; code: string }[] = [];
  const visit = (node: AnyNode, parent: AnyNode | undefined): void => {
    const isTarget = parent?.type === 'AssignmentExpression' && parent.left === node;
    const isTyped = parent?.type === 'UnaryExpression' && parent.operator === 'typeof';
    if (node.type === 'Identifier' && free.delete(node.start) && !isTarget && !isTyped) {
      const isShort = parent?.type === 'Property' && parent.shorthand === true;
      places.push({ start: node.start - 1, end: node.end - 1, code: isShort ? `${REQUEST}:${ours}` : ours });
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
