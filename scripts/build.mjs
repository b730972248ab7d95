// Compiles src to dist, bundles the page of reports, and makes the command executable.
import { execFileSync } from 'node:child_process';
import { chmodSync, rmSync } from 'node:fs';
import { build } from 'esbuild';

rmSync('dist', { recursive: true, force: true });
execFileSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.json'], {
  stdio: 'inherit',
});
await build({
  entryPoints: { browser: 'src/cli/report/page/main.tsx' },
  outdir: 'dist/cli/report',
  bundle: true,
  minify: true,
  format: 'iife',
  target: 'es2022',
  legalComments: 'inline',
  tsconfig: 'src/cli/report/page/tsconfig.json',
  logLevel: 'warning',
});
chmodSync('dist/cli/main.js', 0o755);
