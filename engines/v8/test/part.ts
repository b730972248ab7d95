import { readFileSync } from 'node:fs';
import { join } from 'node:path';

/** A part of the helper, as it is evaluated in a program. */
export function part<T>(name: string, ...needs: unknown[]): T {
  const source = readFileSync(join(__dirname, '..', 'agent', `${name}.js`), 'utf8');
  return new Function(`return (${source})`)()(...needs) as T;
}
