import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeFolder } from '../../../../test/support/program.js';
import { SourceMap } from '../../source-map.js';

it('has the paths of its sources, whatever addresses a bundler gave them', () => {
  const folder = makeFolder({});
  mkdirSync(join(folder, 'lib'));
  writeFileSync(join(folder, 'lib', 'fares.ts'), '');
  const map = {
    version: 3,
    names: [],
    mappings: 'AAAA',
    sources: [
      'webpack://ferry/./lib/fares.ts?ab12',
      'webpack-internal:///(rsc)/./lib/fares.ts',
      '../lib/fares.ts',
      `file://${folder}/lib/fares.ts`,
      'webpack://ferry/?8ea5',
    ],
  };
  const url = `data:application/json,${encodeURIComponent(JSON.stringify(map))}`;
  const loaded = SourceMap.load(join(folder, 'dist', 'fares.js'), url, folder);
  const fares = join(folder, 'lib/fares.ts');
  expect(loaded?.paths).toEqual([fares, fares, fares, fares, 'webpack://ferry/?8ea5']);
});

it('tells in turns where code of one kind of sources begins and ends, over lines and what has no source', () => {
  const folder = makeFolder({});
  // Line 0: own at 0, package at 4, nothing at 8; line 1: package at 0, own at 5.
  const map = {
    version: 3,
    names: [],
    mappings: 'AAAA,ICAA,I;AAAA,KDAA',
    sources: ['fares.ts', 'node_modules/berths/index.js'],
  };
  const url = `data:application/json,${encodeURIComponent(JSON.stringify(map))}`;
  const loaded = SourceMap.load(join(folder, 'fares.js'), url, folder);
  expect(loaded?.turns((path) => path.includes('/node_modules/'))).toEqual([
    { line: 0, column: 4 },
    { line: 1, column: 5 },
  ]);
  expect(loaded?.turns(() => false)).toEqual([]);
});
