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
