/** A line of source, where it is known. */
export type SourceText = (file: string, line: number) => string | undefined;

const NAME = /[$@]{0,2}[A-Za-z_]\w*/g;

/** Everything in a line that could be the name of a variable. */
export function namesIn(source: string): Set<string> {
  return new Set(source.match(NAME) ?? []);
}

/** A line without what stands in quotes: names there are none of variables. */
export function codeOf(source: string): string {
  return source.replace(/'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"/g, (text) => (/[{#$]/.test(text) ? text : '""'));
}

/** Whether code names a variable, or part of one. */
export function mentions(code: string, name: string): boolean {
  for (let at = code.indexOf(name); at >= 0; at = code.indexOf(name, at + 1)) {
    if (!/\w/.test(code[at - 1] ?? '') && !/\w/.test(code[at + name.length] ?? '')) {
      return true;
    }
  }
  return false;
}

/** The name of a function without its class or module: `Invoice#total` and `quotes.total` are `total`. */
export function ownName(name: string): string {
  return name.split(/[.#:]+/).at(-1) ?? name;
}

const LOOPS = /\b(?:for|foreach|as|del|unset|delete|with|catch|rescue|except)\b|\.each\w*\b|\|/;

/** Whether code may set a variable: it stands before `=`, or in the head of a loop and the like. */
export function maySet(code: string, name: string): boolean {
  const [before = '', ...rest] = code.split(/(?<![=!<>])=(?![=>~])/);
  return (rest.length > 0 && mentions(before, name)) || (LOOPS.test(code) && mentions(code, name));
}

/** The arguments of a call from behind its bracket on, as they are written; none where the brackets do not close. */
export function argumentsAt(source: string, from: number): string[] {
  const { found, isClosed } = splitAt(source, from);
  return isClosed ? found : [];
}

/** The same as far as they are on the line: what stands before a comma or the bracket that closes. */
export function argumentsBegunAt(source: string, from: number): string[] {
  return splitAt(source, from).found;
}

function splitAt(source: string, from: number): { found: string[]; isClosed: boolean } {
  let depth = 0;
  let begin = from;
  const found: string[] = [];
  for (let at = from; at < source.length; at += 1) {
    const character = source[at] as string;
    if ('([{'.includes(character)) {
      depth += 1;
    } else if (')]}'.includes(character) && depth === 0) {
      const last = source.slice(begin, at);
      return { found: last.trim() === '' ? found : [...found, last], isClosed: true };
    } else if (')]}'.includes(character)) {
      depth -= 1;
    } else if (character === ',' && depth === 0) {
      found.push(source.slice(begin, at));
      begin = at + 1;
    }
  }
  return { found, isClosed: false };
}
