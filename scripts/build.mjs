// Compiles src to dist and makes the command executable.
import { execFileSync } from 'node:child_process';
import { chmodSync, rmSync } from 'node:fs';

rmSync('dist', { recursive: true, force: true });
execFileSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.json'], {
  stdio: 'inherit',
});
chmodSync('dist/cli/main.js', 0o755);
