// Keeps what V8 makes of the program for its next starts (src/cli/load.ts): of all that the commands need to begin with.
import { writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { resolve } from 'node:path';

const { cacheOf, loadCached } = createRequire(import.meta.url)('../dist/src/cli/load.js');
const file = resolve('dist/src/cli/program.js');
const { exports, script } = loadCached(file);
const run = (...words) => exports.runProgram(['node', 'amber', ...words], '');

await run('--help');
await run('targets');
// It has loaded its code by the time in which it finds that it cannot go on.
await run('attach', '--json', 'nothing-that-runs');
process.exitCode = 0;
writeFileSync(cacheOf(file), script.createCachedData());
