/** A text as one word of a shell (POSIX, Shell Command Language, 2.2.2). */
export function shellQuoted(text: string): string {
  return `'${text.replaceAll("'", "'\\''")}'`;
}
