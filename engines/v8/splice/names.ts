import type { Site } from './site.js';
import { type AnyNode, childrenOf, FUNCTIONS } from './syntax.js';

/** A variable of a function: where it has a value, by offsets of the source. */
export interface DeclaredName {
  name: string;
  /** The function that it belongs to, by its offset; undefined at the top level of a file. */
  within: number | undefined;
  /** From the end of its declaration to the end of the block that it is declared in. */
  from: number;
  to: number;
}

interface Surroundings {
  within: number | undefined;
  functionEnd: number;
  blockEnd: number;
}

/** What opens a block of its own for `let` and `const`. */
const BLOCKS = new Set([
  'BlockStatement',
  'ForStatement',
  'ForInStatement',
  'ForOfStatement',
  'SwitchStatement',
  'CatchClause',
  'StaticBlock',
]);
const LIMIT = 40;

/** All variables of a program that are declared by name; a pattern declares several. */
export function declaredNames(program: AnyNode): DeclaredName[] {
  const found: DeclaredName[] = [];
  walk(program, { within: undefined, functionEnd: program.end, blockEnd: program.end }, found);
  return found;
}

/** The names that have a value just before a site, for those that look at a function line by line. */
export function namesAt(names: readonly DeclaredName[], { start, within }: Site): string[] {
  const here = names.filter((name) => name.within === within && name.from <= start && start < name.to);
  return [...new Set(here.map(({ name }) => name))].slice(-LIMIT);
}

function walk(node: AnyNode, around: Surroundings, found: DeclaredName[]): void {
  let inside = BLOCKS.has(node.type) ? { ...around, blockEnd: node.end } : around;
  if (FUNCTIONS.has(node.type)) {
    inside = { within: node.start, functionEnd: node.end, blockEnd: node.end };
    for (const parameter of node.params as AnyNode[]) {
      declare(parameter, { ...inside, from: node.start }, found);
    }
  } else if (node.type === 'VariableDeclaration') {
    const to = node.kind === 'var' ? around.functionEnd : around.blockEnd;
    for (const declarator of node.declarations as AnyNode[]) {
      // In the head of `for … of` the variable has its value when the body begins.
      declare(declarator.id as AnyNode, { ...inside, blockEnd: to, from: declarator.end }, found);
    }
  } else if (node.type === 'CatchClause' && node.param) {
    declare(node.param as AnyNode, { ...inside, from: (node.param as AnyNode).end }, found);
  }
  for (const { node: child } of childrenOf(node)) {
    walk(child, inside, found);
  }
}

function declare(pattern: AnyNode, at: Surroundings & { from: number }, found: DeclaredName[]): void {
  switch (pattern.type) {
    case 'Identifier':
      found.push({ name: String(pattern.name), within: at.within, from: at.from, to: at.blockEnd });
      break;
    case 'AssignmentPattern':
      declare(pattern.left as AnyNode, at, found);
      break;
    case 'RestElement':
      declare(pattern.argument as AnyNode, at, found);
      break;
    case 'ArrayPattern':
      for (const element of pattern.elements as (AnyNode | null)[]) {
        if (element !== null) {
          declare(element, at, found);
        }
      }
      break;
    case 'ObjectPattern':
      for (const property of pattern.properties as AnyNode[]) {
        declare((property.type === 'Property' ? property.value : property) as AnyNode, at, found);
      }
      break;
    default:
      break;
  }
}
