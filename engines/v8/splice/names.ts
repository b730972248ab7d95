import type { Site } from './site.js';
import { type AnyNode, childrenOf, FUNCTIONS, targetsOf } from './syntax.js';

/** A variable of a function: where it has a value, by offsets of the source. */
export interface DeclaredName {
  name: string;
  /** The function that it belongs to, by its offset; undefined at the top level of a file. */
  within: number | undefined;
  /** From the end of its declaration to the end of the block that it is declared in. */
  from: number;
  to: number;
  /** Where its block begins: from there to `from` it may not be read, nor one further out that is called the same. */
  deadFrom: number;
}

interface Surroundings {
  within: number | undefined;
  functionEnd: number;
  blockStart: number;
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
  walk(program, { within: undefined, functionEnd: program.end, blockStart: 0, blockEnd: program.end }, found);
  return found;
}

/** The names that have a value just before a site, for those that look at a function line by line. */
export function namesAt(names: readonly DeclaredName[], { start, within }: Site): string[] {
  const own = names.filter((name) => name.within === within && start < name.to);
  const dead = new Set(
    own.filter(({ deadFrom, from }) => deadFrom <= start && start < from).map(({ name }) => name),
  );
  const here = own.filter(({ name, from }) => from <= start && !dead.has(name));
  return [...new Set(here.map(({ name }) => name))].slice(-LIMIT);
}

function walk(node: AnyNode, around: Surroundings, found: DeclaredName[]): void {
  let inside = BLOCKS.has(node.type) ? { ...around, blockStart: node.start, blockEnd: node.end } : around;
  if (FUNCTIONS.has(node.type)) {
    inside = { within: node.start, functionEnd: node.end, blockStart: node.start, blockEnd: node.end };
    for (const parameter of node.params as AnyNode[]) {
      declare(parameter, { ...inside, from: node.start, deadFrom: node.start }, found);
    }
  } else if (node.type === 'VariableDeclaration') {
    const isVar = node.kind === 'var';
    const to = isVar ? around.functionEnd : around.blockEnd;
    for (const declarator of node.declarations as AnyNode[]) {
      // In the head of `for … of` the variable has its value when the body begins.
      const from = declarator.end;
      const deadFrom = isVar ? from : around.blockStart;
      declare(declarator.id as AnyNode, { ...inside, blockEnd: to, from, deadFrom }, found);
    }
  } else if (node.type === 'CatchClause' && node.param) {
    const { end } = node.param as AnyNode;
    declare(node.param as AnyNode, { ...inside, from: end, deadFrom: end }, found);
  }
  for (const { node: child } of childrenOf(node)) {
    walk(child, inside, found);
  }
}

function declare(
  pattern: AnyNode,
  at: Surroundings & { from: number; deadFrom: number },
  found: DeclaredName[],
): void {
  for (const { name } of targetsOf(pattern)) {
    found.push({
      name: String(name),
      within: at.within,
      from: at.from,
      to: at.blockEnd,
      deadFrom: at.deadFrom,
    });
  }
}
