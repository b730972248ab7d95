import { type Options, parse, parseExpressionAt } from 'acorn';
import { membersIn } from './members.js';
import { type DeclaredName, declaredNames } from './names.js';
import type { Site } from './site.js';
import { type AnyNode, childrenOf, FUNCTIONS } from './syntax.js';

/** A function or method with a name, and the line of the first thing it does. */
export interface NamedFunction {
  /** With what it belongs to: `Desk.quote`, `exports.handle`. */
  name: string;
  /** Offset of the first statement or of the result; undefined where it does nothing. */
  bodyStart: number | undefined;
  /** Offset of the function itself, by which its sites name it. */
  start: number;
  line: number;
  lastLine: number;
}

export interface Structure {
  sites: Site[];
  functions: NamedFunction[];
  /** Variables and where they are to be had (names.ts). */
  names: DeclaredName[];
  /** By function: what it names of its own object (members.ts). */
  members: ReadonlyMap<number, readonly string[]>;
  /** By the offsets of the statements or results with which the bodies of functions begin, named or not. */
  openings: ReadonlyMap<number, Opening>;
}

/** Where the body of a function begins. */
export interface Opening {
  /** Offsets of the function itself. */
  of: number;
  end: number;
  /** Whether it is stored or given back, and so may run long after the code around it; not of one that is only passed on. */
  isKept: boolean;
  /** Whether the code around it is the top level of a file, which runs once. */
  isOutermost: boolean;
}

const OPTIONS: Options = {
  ecmaVersion: 'latest',
  locations: true,
  allowHashBang: true,
  allowReturnOutsideFunction: true,
  allowAwaitOutsideFunction: true,
  allowImportExportEverywhere: true,
  allowSuperOutsideMethod: true,
  checkPrivateFields: false,
  preserveParens: true,
};

/** Statements that do nothing themselves, or that must come first. */
const PASSED_OVER = new Set([
  'FunctionDeclaration',
  'EmptyStatement',
  'ImportDeclaration',
  'ExportAllDeclaration',
  'BlockStatement',
]);
/** Parents whose `body` (or branches) may be one statement without braces. */
const SINGLE = new Set([
  'IfStatement',
  'ForStatement',
  'ForInStatement',
  'ForOfStatement',
  'WhileStatement',
  'DoWhileStatement',
  'WithStatement',
]);

/** Parents that run a function, or hand it to somebody who does. */
const CALLS = new Set(['CallExpression', 'NewExpression']);

/** The syntax tree of a source; undefined when it is not JavaScript that we can read. */
export function treeOf(source: string): AnyNode | undefined {
  for (const sourceType of ['module', 'script'] as const) {
    try {
      return parse(source, { ...OPTIONS, sourceType, ranges: true }) as unknown as AnyNode;
    } catch {
      // Sloppy code is no module; what is neither is nothing we can splice into.
    }
  }
  return undefined;
}

/** The sites and named functions of a source; undefined when it is not JavaScript that we can read. */
export function structureOf(source: string): Structure | undefined {
  const tree = treeOf(source);
  return tree && collect(tree);
}

/** Whether a text is one expression that may be computed inside any function. Gives what is wrong, or "". */
export function expressionTrouble(text: string): string {
  if (/[\n\r\u2028\u2029]/.test(text)) {
    return 'an expression is one line';
  }
  try {
    let hasComment = false;
    const options: Options = {
      ...OPTIONS,
      sourceType: 'script',
      onComment: () => {
        hasComment = true;
      },
    };
    const expression = parseExpressionAt(text, 0, options) as unknown as AnyNode;
    if (hasComment) {
      return 'a comment does not go into an expression';
    }
    const rest = text.slice(expression.end).trim();
    if (rest !== '') {
      return `SyntaxError: Unexpected token ${JSON.stringify(rest[0])}`;
    }
    return contains(expression, new Set(['AwaitExpression', 'YieldExpression']))
      ? 'await and yield would change what the function does'
      : '';
  } catch (error) {
    return `SyntaxError: ${(error as Error).message.replace(/ \(\d+:\d+\)$/, '')}`;
  }
}

function contains(node: AnyNode, types: ReadonlySet<string>): boolean {
  return types.has(node.type) || childrenOf(node).some(({ node: child }) => contains(child, types));
}

function collect(program: AnyNode): Structure {
  const openings = new Map<number, Opening>();
  const structure: Found = {
    sites: [],
    functions: [],
    names: declaredNames(program),
    members: membersIn(program),
    openings,
  };
  visit(program, { within: undefined, owner: '' }, undefined, structure);
  structure.sites.sort((one, other) => one.start - other.start || other.end - one.end);
  return structure;
}

interface Surroundings {
  within: number | undefined;
  /** What a function found here belongs to: a class, or the object it is stored in. */
  owner: string;
}

interface Found extends Structure {
  openings: Map<number, Opening>;
}

function visit(node: AnyNode, around: Surroundings, parent: AnyNode | undefined, into: Found): void {
  addSite(node, around, parent, into);
  // Who holds a function in parentheses is the holder of the parentheses.
  const holder = node.type === 'ParenthesizedExpression' ? parent : node;
  let inside = around;
  if (FUNCTIONS.has(node.type)) {
    addFunction(node, around, parent, into);
    inside = { within: node.start, owner: '' };
  } else if (node.type === 'StaticBlock' || node.type === 'PropertyDefinition') {
    inside = { ...around, within: node.start };
  } else if (node.type === 'ClassDeclaration' || node.type === 'ClassExpression') {
    inside = { ...around, owner: nameOf(node.id) || nameOfHolder(parent) };
  } else if (node.type === 'ObjectExpression') {
    inside = { ...around, owner: nameOfHolder(parent) };
  }
  for (const { node: child } of childrenOf(node)) {
    visit(child, inside, holder, into);
  }
}

function addSite(
  node: AnyNode,
  { within }: Surroundings,
  parent: AnyNode | undefined,
  { sites }: Structure,
): void {
  const at = { start: node.start, end: node.end, line: unwrapped(node).loc?.start.line ?? 0, within };
  if (parent?.type === 'ArrowFunctionExpression' && parent.body === node && parent.expression === true) {
    sites.push({ ...at, kind: 'result', within: parent.start });
    return;
  }
  const isStatement = /Statement$|^VariableDeclaration$|^ClassDeclaration$|^Export/.test(node.type);
  if (!isStatement || PASSED_OVER.has(node.type) || node.directive !== undefined) {
    return;
  }
  if (parent?.type === 'LabeledStatement' || !isInList(node, parent)) {
    const isBody =
      parent !== undefined && SINGLE.has(parent.type) && parent.init !== node && parent.left !== node;
    if (isBody) {
      sites.push({ ...at, kind: 'wrapped' });
    }
    return;
  }
  sites.push({ ...at, kind: 'statement' });
}

/** What parentheses are around. */
function unwrapped(node: AnyNode): AnyNode {
  return node.type === 'ParenthesizedExpression' ? unwrapped(node.expression as AnyNode) : node;
}

/** Whether a statement stands in a list of statements, so that another one may stand before it. */
function isInList(node: AnyNode, parent: AnyNode | undefined): boolean {
  const lists = [parent?.body, parent?.type === 'SwitchCase' ? parent.consequent : undefined];
  return lists.some((list) => Array.isArray(list) && list.includes(node));
}

function addFunction(
  node: AnyNode,
  { owner, within }: Surroundings,
  parent: AnyNode | undefined,
  { functions, openings }: Found,
): void {
  const body = node.body as AnyNode;
  const statements = body.type === 'BlockStatement' ? (body.body as AnyNode[]) : [body];
  const first = statements.find(
    (statement) => !PASSED_OVER.has(statement.type) && statement.directive === undefined,
  );
  if (first !== undefined) {
    openings.set(first.start, {
      of: node.start,
      end: node.end,
      isKept: !CALLS.has(parent?.type ?? ''),
      isOutermost: within === undefined,
    });
  }
  const name = nameOf(node.id) || nameOfHolder(parent);
  if (name === '') {
    return;
  }
  functions.push({
    name: owner && !name.includes('.') ? `${owner}.${name}` : name,
    bodyStart: first?.start,
    start: node.start,
    line: node.loc?.start.line ?? 0,
    lastLine: node.loc?.end.line ?? 0,
  });
}

/** The name under which a parent stores a function, class or object: a variable, property, method. */
function nameOfHolder(parent: AnyNode | undefined): string {
  switch (parent?.type) {
    case 'VariableDeclarator':
      return nameOf(parent.id);
    case 'AssignmentExpression':
      return nameOf(parent.left);
    case 'Property':
    case 'MethodDefinition':
    case 'PropertyDefinition':
      return nameOf(parent.key);
    default:
      return '';
  }
}

function nameOf(node: unknown): string {
  const named = node as AnyNode | null | undefined;
  switch (named?.type) {
    case 'Identifier':
    case 'PrivateIdentifier':
      return `${named.type === 'PrivateIdentifier' ? '#' : ''}${named.name}`;
    case 'Literal':
      return String(named.value);
    case 'MemberExpression': {
      const object = nameOf(named.object);
      const property = nameOf(named.property);
      return named.computed === true || object === '' ? '' : `${object}.${property}`;
    }
    case 'ThisExpression':
      return 'this';
    default:
      return '';
  }
}
