import { Scopes, type Variable } from './splice/scopes.js';
import { treeOf } from './splice/statements.js';
import { type AnyNode, childrenOf } from './splice/syntax.js';

/** What a piece of compiled code was made from: the text of the source from there on, and what the map calls it. */
export interface WrittenPiece {
  /** Equal for pieces that were made from the same place. */
  place: string;
  text: string;
  name: string | undefined;
}

/** An import, or whatever else people write as one name and a compiler as more: `Kind` as `kinds_1.Kind`. */
interface Alias {
  base: Variable;
  code: string;
}

const WORD = /^[\p{ID_Start}$_][\p{ID_Continue}$\u200c\u200d]*/u;
const PRIVATE_FIELD = /^this\.(#[\p{ID_Start}$_][\p{ID_Continue}$\u200c\u200d]*)/u;
/** Words with which something begins that is not a name (ECMA-262, "Keywords and Reserved Words"). */
const RESERVED = new Set(
  'await break case catch class const continue debugger default delete do else enum export extends false finally for function if import in instanceof new null return super switch this throw true try typeof var void while with yield let static async'.split(
    ' ',
  ),
);

/**
 * Names as people wrote them, and as a compiler or minifier has them in one script (ECMA-426): names that are said in its
 * source map, imports that have become members, private fields that have become calls.
 */
export class OriginalNames {
  readonly #scopes: Scopes;
  readonly #written = new Map<Variable, string>();
  /** Variables that nobody has written: a compiler's own. */
  readonly #unwritten = new Set<Variable>();
  readonly #aliases = new Map<string, Alias[]>();
  /** By the name of a private field: its name in the compiled code, or a call that reads it, in which `this` is open. */
  readonly #privates = new Map<string, (object: string) => string>();

  /**
   * @param source the compiled code
   * @param pieceAt what the code that begins at an offset was made from
   * @returns undefined for what is not JavaScript that we can read
   */
  static of(
    source: string,
    pieceAt: (offset: number) => WrittenPiece | undefined,
  ): OriginalNames | undefined {
    const tree = treeOf(source);
    return tree && new OriginalNames(source, tree, pieceAt);
  }

  private constructor(
    private readonly source: string,
    tree: AnyNode,
    private readonly pieceAt: (offset: number) => WrittenPiece | undefined,
  ) {
    this.#scopes = new Scopes(tree);
    const members = new Map<number, AnyNode>();
    this.#look(tree, members);
    for (const variable of this.#scopes.variables) {
      this.#name(variable, members);
    }
  }

  /** Private fields, and the members of plain names by where they begin. */
  #look(node: AnyNode, members: Map<number, AnyNode>): void {
    if (node.type === 'MemberExpression' && (node.object as AnyNode).type === 'Identifier') {
      members.set(node.start, node);
    } else if (node.type === 'PrivateIdentifier') {
      const { name, text } = this.pieceAt(node.start) ?? {};
      const written = name ?? /^#[\p{ID_Continue}$]+/u.exec(text ?? '')?.[0];
      if (written?.startsWith('#')) {
        this.#privates.set(written, (object) => `${object}.#${node.name}`);
      }
    } else if (node.type === 'CallExpression') {
      this.#lookAtCall(node);
    }
    for (const { node: child } of childrenOf(node)) {
      this.#look(child, members);
    }
  }

  /** A call that a compiler has put in the place of `this.#name`. */
  #lookAtCall(call: AnyNode): void {
    const receiver = (call.arguments as AnyNode[]).find(({ type }) => type === 'ThisExpression');
    const written = receiver && PRIVATE_FIELD.exec(this.pieceAt(call.start)?.text ?? '')?.[1];
    if (written && !this.#privates.has(written)) {
      const before = this.source.slice(call.start, receiver.start);
      const after = this.source.slice(receiver.end, call.end);
      this.#privates.set(written, (object) => before + object + after);
    }
  }

  #name(variable: Variable, members: ReadonlyMap<number, AnyNode>): void {
    const votes = new Map<string, number>();
    let isKept = false;
    const places = [...variable.identifiers, ...variable.references.map(({ identifier }) => identifier)];
    for (const { start } of places as unknown as AnyNode[]) {
      const piece = this.pieceAt(start);
      const written = piece && nameOf(piece);
      if (piece === undefined || written === undefined) {
        continue;
      }
      isKept ||= written === variable.name;
      const member = members.get(start);
      if (member !== undefined && this.#standsForWhole(member, piece, written)) {
        const alias = { base: variable, code: this.source.slice(member.start, member.end) };
        this.#aliases.set(written, [...(this.#aliases.get(written) ?? []), alias]);
      } else if (piece.name !== undefined) {
        votes.set(written, (votes.get(written) ?? 0) + 1);
      }
    }
    const [first] = [...votes].sort(([, one], [, other]) => other - one);
    if (first !== undefined) {
      this.#written.set(variable, first[0]);
    } else if (variable.defs.length > 0 && !isKept) {
      this.#unwritten.add(variable);
    }
  }

  /** Whether it is the member as a whole that people wrote as one name. */
  #standsForWhole(member: AnyNode, { text, place }: WrittenPiece, written: string): boolean {
    const property = member.property as AnyNode;
    if (member.computed === true || property.type !== 'Identifier') {
      return false;
    }
    const ofProperty = this.pieceAt(property.start);
    const next = /^\s*(?:\?\.|[!?]?\.)\s*([\p{ID_Continue}$]+)/u.exec(text.slice(written.length))?.[1];
    return (ofProperty === undefined || ofProperty.place === place) && next !== property.name;
  }

  /** What people called a variable that code at an offset sees under this name; undefined for a compiler's own. */
  written(name: string, offset: number): string | undefined {
    const variable = this.#scopes.visibleAt(offset).find((seen) => seen.name === name);
    if (variable === undefined) {
      return name;
    }
    return this.#unwritten.has(variable) ? undefined : (this.#written.get(variable) ?? name);
  }

  /** What people called the function around an offset, which the engine calls by `name`. */
  writtenFunction(name: string, offset: number): string {
    const variable = this.#scopes.ofFunction(offset, name);
    return (variable && this.#written.get(variable)) ?? name;
  }

  /** The same of a name with what it belongs to, as `Desk.quote`, of a function that begins at an offset. */
  writtenPath(path: string, offset: number): string {
    const [first = '', ...rest] = path.split('.');
    const variable = this.#scopes.visibleAround(offset).find(({ name }) => name === first);
    return [(variable && this.#written.get(variable)) ?? first, ...rest].join('.');
  }

  /** An expression that people wrote, as it is to be computed at an offset of the compiled code. */
  compiled(expression: string, offset: number): string {
    const tree = treeOf(`(${expression}\n)`);
    if (tree === undefined) {
      return expression;
    }
    const visible = this.#scopes.visibleAt(offset);
    const changes: Change[] = [];
    const codes = this.#codesIn(tree, visible);
    const visit = (node: AnyNode, parent: AnyNode | undefined): void => {
      const code = node.type === 'Identifier' ? codes.get(node.start) : undefined;
      if (code !== undefined) {
        const isTarget = parent?.type === 'AssignmentExpression' || parent?.type === 'UpdateExpression';
        const isShort = parent?.type === 'Property' && parent.shorthand === true;
        changes.push({
          ...node,
          code: (isShort ? `${node.name}:` : '') + (isTarget ? code.bare : code.value),
        });
        // What is short for a name and its value stands in the tree as both.
        codes.delete(node.start);
      } else if (
        node.type === 'MemberExpression' &&
        (node.property as AnyNode).type === 'PrivateIdentifier'
      ) {
        const read = this.#privates.get(`#${(node.property as AnyNode).name}`);
        const object = node.object as AnyNode;
        if (read !== undefined) {
          const inner = this.compiled(expression.slice(object.start - 1, object.end - 1), offset);
          changes.push({ ...node, code: read(inner) });
          return;
        }
      }
      for (const { node: child } of childrenOf(node)) {
        visit(child, node);
      }
    };
    visit(tree, undefined);
    return replaced(expression, changes);
  }

  /** What stands for the names of an expression, by their offsets; not of those that stay as they are. */
  #codesIn(tree: AnyNode, visible: readonly Variable[]): Map<number, Code> {
    const expression = new Scopes(tree);
    const codes = new Map<number, Code>();
    for (const { start, name } of expression.free) {
      const code = this.#codeFor(String(name), visible);
      if (code !== undefined) {
        codes.set(start, code);
      }
    }
    // The expression's own parameters must not hide what others of its names have become.
    for (const { name, defs, identifiers, references } of expression.variables) {
      if (defs.length > 0 && visible.some((variable) => variable.name === name)) {
        for (const { start } of [
          ...identifiers,
          ...references.map((each) => each.identifier),
        ] as unknown as AnyNode[]) {
          codes.set(start, { value: OWN + name, bare: OWN + name });
        }
      }
    }
    return codes;
  }

  /** Code for a name that people wrote; undefined where that is the name itself. */
  #codeFor(name: string, visible: readonly Variable[]): Code | undefined {
    const found = visible.find((variable) => (this.#written.get(variable) ?? variable.name) === name);
    if (found !== undefined) {
      return found.name === name ? undefined : { value: found.name, bare: found.name };
    }
    const alias = this.#aliases.get(name)?.find(({ base }) => visible.includes(base));
    if (alias !== undefined) {
      // A function that is called by a bare name has no `this`.
      return { value: `(0,${alias.code})`, bare: alias.code };
    }
    // What has this name in the compiled code is something else to the people who wrote it.
    const missing = JSON.stringify(`${name} is not in the code that was compiled`);
    const code = `(()=>{throw new ReferenceError(${missing})})()`;
    return visible.some((variable) => variable.name === name) ? { value: code, bare: code } : undefined;
  }
}

/** What begins the name that a parameter of an expression is given in compiled code which has that name, too. */
const OWN = '$own_';

/** Code for a name: where its value is wanted, and where it is assigned to. */
interface Code {
  value: string;
  bare: string;
}

interface Change {
  start: number;
  end: number;
  code: string;
}

/** @param changes by offsets of the expression in parentheses */
function replaced(expression: string, changes: readonly Change[]): string {
  let text = expression;
  for (const { start, end, code } of [...changes].sort((one, other) => other.start - one.start)) {
    text = text.slice(0, start - 1) + code + text.slice(end - 1);
  }
  return text;
}

/** The name that a piece was made from: what stands in the source there, if that is a name, or what the map says. */
function nameOf({ text, name }: WrittenPiece): string | undefined {
  const word = WORD.exec(text)?.[0];
  return word === undefined || RESERVED.has(word) ? name : word;
}
