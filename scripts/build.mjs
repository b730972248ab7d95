// Compiles src to dist, bundles the programs that people and we ourselves start, and the page of reports.
import { execFileSync } from 'node:child_process';
import { chmodSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname } from 'node:path';
import { build } from 'esbuild';

const require = createRequire(import.meta.url);
rmSync('dist', { recursive: true, force: true });
execFileSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.json'], {
  stdio: 'inherit',
});

/**
 * One file for each program: most of a start was the loading of some hundred small files. The languages in which the
 * schemas' own messages could be told take a third of that library, and are never used.
 */
const locales = dirname(require.resolve('zod/v4/locales'));
const onlyEnglish = {
  name: 'only English',
  setup(building) {
    building.onLoad({ filter: /zod\/v4\/locales\/index\.(?:c?js)$/ }, () => ({
      contents: "export { default as en } from './en.js';",
      resolveDir: locales,
    }));
  },
};
/** Modules of Node that take some milliseconds to load, and that few commands need: loaded when one of their functions is called. */
const LATE = ['node:crypto', 'node:child_process'];
const late = {
  name: 'late',
  setup(building) {
    const filter = new RegExp(`^(?:${LATE.join('|')})$`);
    building.onResolve({ filter }, ({ path, namespace }) =>
      namespace === 'late' ? { path, external: true } : { path, namespace: 'late' },
    );
    building.onLoad({ filter, namespace: 'late' }, ({ path }) => ({
      // What is imported is asked for where it is used.
      contents: Object.keys(require(path))
        .map(
          (name) =>
            `Object.defineProperty(exports, '${name}', { enumerable: true, get: () => require('${path}').${name} });`,
        )
        .join('\n'),
    }));
  },
};
await build({
  entryPoints: Object.fromEntries(
    [
      'src/cli/main',
      'src/cli/program',
      'runtimes/node/process/bring-up',
      'runtimes/php/fpm/janitor',
      'src/targets/sweeper',
    ].map((name) => [name, `${name}.ts`]),
  ),
  outdir: 'dist',
  allowOverwrite: true,
  bundle: true,
  minify: true,
  platform: 'node',
  format: 'cjs',
  target: 'node20',
  // A command's code is evaluated when it is run, by the file's own `require`.
  supported: { 'dynamic-import': false },
  legalComments: 'inline',
  plugins: [onlyEnglish, late],
  logLevel: 'warning',
});
await build({
  entryPoints: { browser: 'src/cli/report/page/main.tsx' },
  outdir: 'dist/src/cli/report',
  bundle: true,
  minify: true,
  format: 'iife',
  target: 'es2022',
  legalComments: 'inline',
  tsconfig: 'src/cli/report/page/tsconfig.json',
  logLevel: 'warning',
});
// A text of one byte a character is read in half the time (src/cli/load.ts); some signs stand in patterns as they are.
const program = 'dist/src/cli/program.js';
writeFileSync(
  program,
  readFileSync(program, 'utf8').replace(
    /[^\0-\x7f]/g,
    (sign) => `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`,
  ),
);
execFileSync(process.execPath, ['scripts/warm.mjs'], { stdio: ['ignore', 'ignore', 'inherit'] });
chmodSync('dist/src/cli/main.js', 0o755);
