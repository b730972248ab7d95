import type { Node } from 'acorn';

/** A node of the syntax tree (ESTree), of whichever type. */
export interface AnyNode extends Node {
  [key: string]: unknown;
}

/** Nodes with a scope of their own for `var` and parameters. */
export const FUNCTIONS: ReadonlySet<string> = new Set([
  'FunctionDeclaration',
  'FunctionExpression',
  'ArrowFunctionExpression',
]);

/** The nodes directly below a node, with the property that holds each. */
export function childrenOf(node: AnyNode): { key: string; node: AnyNode }[] {
  const children: { key: string; node: AnyNode }[] = [];
  for (const [key, value] of Object.entries(node)) {
    for (const item of Array.isArray(value) ? value : [value]) {
      if (item !== null && typeof item === 'object' && typeof (item as AnyNode).type === 'string') {
        children.push({ key, node: item as AnyNode });
      }
    }
  }
  return children;
}
