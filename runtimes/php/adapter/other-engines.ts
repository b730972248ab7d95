import type { DbgpConnection } from './dbgp.js';
import type { Mark } from './marks.js';

/** An engine of another make is told of the marks that DBGp has words for. */
export async function prepareEngine(connection: DbgpConnection, marks: readonly Mark[]): Promise<void> {
  const send = (name: string, options: Record<string, string | number>, data?: string) =>
    connection.send(name, options, data).catch(() => undefined);
  await send('feature_set', { n: 'max_children', v: 100 });
  await send('feature_set', { n: 'max_depth', v: 1 });
  for (const { place, wanted } of marks) {
    if (place.kind === 'line' && wanted.kind === 'break') {
      const where = { f: `file://${place.path}`, n: place.line };
      await (wanted.condition
        ? send('breakpoint_set', { t: 'conditional', ...where }, wanted.condition)
        : send('breakpoint_set', { t: 'line', ...where }));
    } else if (place.kind === 'function') {
      await send('breakpoint_set', { t: 'call', m: place.name });
    }
  }
}
