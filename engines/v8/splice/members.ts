import { type AnyNode, childrenOf, FUNCTIONS } from './syntax.js';

/** Members of one object that are told at most. */
const MOST = 20;

/**
 * What each function names of its own object (`this.total`), by its offset; functions with an arrow have the object of the one
 * around them. Nothing in the constructor of a derived class, where there is no object at first.
 */
export function membersIn(program: AnyNode): Map<number, string[]> {
  const found = new Map<number, string[]>();
  walk(program, { functions: [], isDerived: false }, found);
  return found;
}

interface Around {
  /** The functions that have the same object, from the outside inwards; none where there may be none. */
  functions: readonly number[];
  /** Whether the class around it extends another one. */
  isDerived: boolean;
}

function walk(node: AnyNode, around: Around, found: Map<number, string[]>): void {
  let { functions, isDerived } = around;
  if (node.type === 'ClassDeclaration' || node.type === 'ClassExpression') {
    isDerived = node.superClass !== null;
    functions = [];
  } else if (node.type === 'MethodDefinition' && node.kind === 'constructor' && isDerived) {
    return;
  } else if (FUNCTIONS.has(node.type)) {
    const isArrow = node.type === 'ArrowFunctionExpression';
    functions = isArrow ? [...functions, node.start] : [node.start];
  } else if (node.type === 'MemberExpression' && node.computed === false) {
    const { object, property } = node as unknown as { object: AnyNode; property: AnyNode };
    const name =
      object.type === 'ThisExpression' && property.type === 'Identifier' ? String(property.name) : '';
    for (const start of name === '' || name === '__proto__' ? [] : functions) {
      const names = found.get(start) ?? [];
      found.set(start, names);
      if (!names.includes(name) && names.length < MOST) {
        names.push(name);
      }
    }
  }
  for (const { node: child } of childrenOf(node)) {
    walk(child, { functions, isDerived }, found);
  }
}
