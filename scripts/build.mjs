// Compiles src to dist, bundles the programs that people and we ourselves start, and the page of reports.
import { execFileSync } from 'node:child_process';
import { chmodSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname } from 'node:path';
import { build } from 'esbuild';

rmSync('dist', { recursive: true, force: true });
execFileSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.json'], {
  stdio: 'inherit',
});

/**
 * One file for each program: most of a start was the loading of some hundred small files. The languages in which the
 * schemas' own messages could be told take a third of that library, and are never used.
 */
const locales = dirname(createRequire(import.meta.url).resolve('zod/v4/locales'));
const onlyEnglish = {
  name: 'only English',
  setup(building) {
    building.onLoad({ filter: /zod\/v4\/locales\/index\.(?:c?js)$/ }, () => ({
      contents: "export { default as en } from './en.js';",
      resolveDir: locales,
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
  minifyWhitespace: true,
  platform: 'node',
  format: 'cjs',
  target: 'node20',
  // A command's code is evaluated when it is run, by the file's own `require`.
  supported: { 'dynamic-import': false },
  legalComments: 'inline',
  plugins: [onlyEnglish],
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
execFileSync(process.execPath, ['scripts/warm.mjs'], { stdio: ['ignore', 'ignore', 'inherit'] });
chmodSync('dist/src/cli/main.js', 0o755);
