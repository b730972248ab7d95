import { type AnyNode, childrenOf, FUNCTIONS, targetsOf } from './syntax.js';

/** What code may do to the variables of its function: which it assigns, and whether it changes what they hold. */
interface Effects {
  names: Set<string>;
  /** It calls something, waits, or writes into an object. */
  calls: boolean;
}

/** What may have happened to the variables of a function from one followed line to the next. */
export interface LineEffects {
  /** What the line does, with all that may run before the next followed line on the way from here. */
  does: Effects;
  /** What may run before this line on the way from another, beside what that does. */
  before: Effects;
  /** Variables that functions in this one assign, whenever they are called. */
  inner: ReadonlySet<string>;
}

const CALLING = new Set([
  'CallExpression',
  'NewExpression',
  'TaggedTemplateExpression',
  'ImportExpression',
  'AwaitExpression',
  'YieldExpression',
  'ClassExpression',
  'ClassDeclaration',
]);

/**
 * The effects of the followed statements of a source, by their offsets. Functions in which a name may stand for anything
 * (`eval`, `with`, `arguments`) have none.
 *
 * Reading a member, comparing and reckoning count as doing nothing, though a getter might: what it changes is seen at the
 * next line that calls.
 * @param followed offsets of statements whose every pass is told
 */
export function effectsOf(tree: AnyNode, followed: ReadonlySet<number>): Map<number, LineEffects> {
  const found = new Map<number, LineEffects>();
  const enter = (node: AnyNode) => {
    const gathered = new Gathered(followed);
    if (FUNCTIONS.has(node.type)) {
      for (const parameter of node.params as AnyNode[]) {
        gathered.parameter(parameter);
      }
    }
    for (const { node: child } of childrenOf(node)) {
      gathered.walk(child, undefined);
    }
    for (const [start, effects] of gathered.lines()) {
      found.set(start, effects);
    }
    gathered.functions.forEach(enter);
  };
  enter(tree);
  return found;
}

/**
 * The same as the helper reads it (engines/v8/agent/followed.js): names that it does, names before it, and inner ones; `!`
 * before the first two where they call.
 */
export function effectsText({ does, before, inner }: LineEffects): string {
  const half = ({ names, calls }: Effects) => `${calls ? '!' : ''}${[...names].join(',')}`;
  return [half(does), half(before), [...inner].join(',')].join('|');
}

/** What one function does, without the functions in it. */
class Gathered {
  readonly functions: AnyNode[] = [];
  /** What belongs to no followed statement. */
  readonly #loose: Effects = nothing();
  readonly #own = new Map<number, Effects>();
  /** By statement: the followed one around it. */
  readonly #around = new Map<number, number | undefined>();
  readonly #inner = new Set<string>();
  /** Names that are declared here; and those that several variables have, of which one hides another for a while. */
  readonly #declared = new Set<string>();
  readonly #shared = new Set<string>();
  #isOpaque = false;

  constructor(private readonly followed: ReadonlySet<number>) {}

  walk(node: AnyNode, owner: number | undefined): void {
    if (FUNCTIONS.has(node.type)) {
      this.functions.push(node);
      this.#lookInto(node);
      return;
    }
    let inside = owner;
    if (this.followed.has(node.start) && !this.#own.has(node.start)) {
      this.#own.set(node.start, nothing());
      this.#around.set(node.start, owner);
      inside = node.start;
    }
    this.#take(node, inside === undefined ? this.#loose : (this.#own.get(inside) ?? this.#loose));
    for (const { node: child } of childrenOf(node)) {
      this.walk(child, inside);
    }
  }

  *lines(): Iterable<[number, LineEffects]> {
    if (this.#isOpaque) {
      return;
    }
    for (const [start, own] of this.#own) {
      const before: Effects = {
        names: new Set([...this.#loose.names, ...this.#shared]),
        calls: this.#loose.calls,
      };
      for (let at = this.#around.get(start); at !== undefined; at = this.#around.get(at)) {
        add(before, this.#own.get(at));
      }
      const does: Effects = { names: new Set(before.names), calls: before.calls };
      add(does, own);
      yield [start, { does, before, inner: this.#inner }];
    }
  }

  /** What a function in this one assigns may be a variable of this one. */
  #lookInto(node: AnyNode): void {
    const assigned = nothing();
    this.#take(node, assigned);
    for (const name of assigned.names) {
      this.#inner.add(name);
    }
    for (const { node: child } of childrenOf(node)) {
      this.#lookInto(child);
    }
  }

  #declare(pattern: AnyNode | null, into: Effects): void {
    const declared = nothing();
    assign(pattern, declared);
    for (const name of declared.names) {
      into.names.add(name);
      (this.#declared.has(name) ? this.#shared : this.#declared).add(name);
    }
  }

  /** A parameter of the function. */
  parameter(pattern: AnyNode): void {
    this.#declare(pattern, nothing());
  }

  #take(node: AnyNode, into: Effects): void {
    into.calls ||= CALLING.has(node.type);
    switch (node.type) {
      case 'AssignmentExpression':
        assign(node.left as AnyNode, into);
        break;
      case 'UpdateExpression':
        assign(node.argument as AnyNode, into);
        break;
      case 'UnaryExpression':
        into.calls ||= node.operator === 'delete';
        break;
      case 'VariableDeclarator':
        this.#declare(node.id as AnyNode, into);
        break;
      case 'ForInStatement':
      case 'ForOfStatement':
        into.calls ||= node.await === true;
        assign(node.left as AnyNode, into);
        break;
      case 'CatchClause':
        this.#declare(node.param as AnyNode | null, into);
        break;
      case 'WithStatement':
        this.#isOpaque = true;
        break;
      case 'Identifier':
        this.#isOpaque ||= node.name === 'eval' || node.name === 'arguments';
        break;
      default:
        break;
    }
  }
}

/** What is assigned by a pattern; a part of an object counts as a call, for what may hold it. */
function assign(pattern: AnyNode | null, into: Effects): void {
  // The declaration in the head of a loop has no targets here: it is walked like any other.
  for (const target of targetsOf(pattern)) {
    if (target.type === 'Identifier') {
      into.names.add(String(target.name));
    } else {
      into.calls = true;
    }
  }
}

function nothing(): Effects {
  return { names: new Set(), calls: false };
}

function add(to: Effects, more: Effects | undefined): void {
  for (const name of more?.names ?? []) {
    to.names.add(name);
  }
  to.calls ||= more?.calls === true;
}
