import { readdirSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeFolder } from '../../../test/support/program.js';
import { sweepCache } from '../adapter/cache.js';

const NOW = Date.parse('2026-06-01');
const HOUR = 3_600_000;

/** A file of a size, so many hours old; its bytes are not on the disk. */
function put(folder: string, name: string, megabytes: number, hours: number): void {
  const path = join(folder, name);
  writeFileSync(path, '');
  truncateSync(path, megabytes * 1024 * 1024);
  const time = new Date(NOW - hours * HOUR);
  utimesSync(path, time, time);
}

it('keeps what is small and young', () => {
  const folder = makeFolder({});
  put(folder, 'young', 30, 1);
  put(folder, 'older', 30, 100);
  put(folder, 'old', 1, 8 * 24);
  sweepCache(folder, NOW);
  expect(readdirSync(folder).sort()).toEqual(['older', 'young']);
});

it('brings more than 64 MB down to 48, the oldest first', () => {
  const folder = makeFolder({});
  for (let hours = 1; hours <= 9; hours += 1) {
    put(folder, `${hours}`, 8, hours);
  }
  sweepCache(folder, NOW);
  expect(readdirSync(folder).sort()).toEqual(['1', '2', '3', '4', '5', '6']);
  put(folder, 'plain', 8, 0);
  sweepCache(folder, NOW);
  expect(readdirSync(folder)).toHaveLength(7);
});
