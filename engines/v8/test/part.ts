import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';

/** A part of the helper, as it is evaluated in a program. */
export function part<T>(name: string, ...needs: unknown[]): T {
  const source = readFileSync(join(__dirname, '..', 'agent', `${name}.js`), 'utf8');
  return new Function(`return (${source})`)()(...needs) as T;
}

/** By name: the value before and after. */
export type Changed = Record<string, [string, string]>;

interface Texts {
  textOf(value: unknown, depth: number, limit: number): string;
  typeOf(value: unknown): string;
}

/** The part that tells what followed lines have changed (engines/v8/agent/followed.js). */
interface Followed {
  call(): number;
  lineOf(effects: string): object | undefined;
  changes(call: number, values: object, line?: object): Changed;
  missed(): void;
}

const hides = (name: unknown) => typeof name === 'string' && /token/.test(name);

const require = createRequire(__filename);
export const texts = part<Texts>('text', require, hides, '•••');

/** That part, as a program begins with it. */
export const newFollowed = () =>
  part<Followed>('followed', require, texts.textOf, texts.typeOf, hides, '•••');
