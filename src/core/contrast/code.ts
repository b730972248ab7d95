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
  const at = code.indexOf(name);
  return at >= 0 && !/\w/.test(code[at - 1] ?? '') && !/\w/.test(code[at + name.length] ?? '');
}

const LOOPS = /\b(?:for|foreach|each\w*|as|del|unset|delete|with|catch|rescue|except)\b|\|/;

/** Whether code may set a variable: it stands before `=`, or in the head of a loop and the like. */
export function maySet(code: string, name: string): boolean {
  const [before = '', ...rest] = code.split(/(?<![=!<>])=(?![=>~])/);
  return (rest.length > 0 && mentions(before, name)) || (LOOPS.test(code) && mentions(code, name));
}
