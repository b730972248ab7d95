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

/** What a pattern gives values to, innermost: identifiers, and where it assigns, members of objects too. */
export function* targetsOf(pattern: AnyNode | null): Generator<AnyNode> {
  switch (pattern?.type) {
    case 'Identifier':
    case 'MemberExpression':
      yield pattern;
      break;
    case 'AssignmentPattern':
      yield* targetsOf(pattern.left as AnyNode);
      break;
    case 'RestElement':
      yield* targetsOf(pattern.argument as AnyNode);
      break;
    case 'ParenthesizedExpression':
      yield* targetsOf(pattern.expression as AnyNode);
      break;
    case 'ArrayPattern':
      for (const element of pattern.elements as (AnyNode | null)[]) {
        yield* targetsOf(element);
      }
      break;
    case 'ObjectPattern':
      for (const property of pattern.properties as AnyNode[]) {
        yield* targetsOf((property.type === 'Property' ? property.value : property) as AnyNode);
      }
      break;
    default:
      break;
  }
}
