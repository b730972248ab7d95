/* The packages that are tried: where those of the npm registry are, getting what is missing, and which are meant. */
import { spawnSync } from 'node:child_process';
import { existsSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Where the packages of the npm registry are, and the services below them. */
export const ROOT = process.env.AMBER_FRAMEWORKS || join(tmpdir(), 'amber-frameworks');

/** Gets what is missing, as root. */
export function install(root, { debian = [], npm = [] }) {
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  for (const name of new Set(debian)) {
    spawnSync('apt-get', ['install', '-y', '-qq', name], { env, stdio: ['ignore', 'ignore', 'inherit'] });
  }
  const missing = [...new Set(npm)].filter((name) => !existsSync(join(root, 'node_modules', name)));
  if (missing.length > 0) {
    const manifest = join(root, 'package.json');
    if (!existsSync(manifest)) {
      writeFileSync(manifest, '{"private":true}\n');
    }
    const flags = ['--no-audit', '--no-fund', '--ignore-scripts', '--loglevel=error'];
    spawnSync('npm', ['install', ...flags, ...missing], { cwd: root, stdio: 'inherit' });
  }
}

/** Whether a row is among those that were asked for by a part of their names; all of them, where none was. */
export function isMeant(name, words) {
  return words.length === 0 || words.some((word) => name.toLowerCase().includes(word.toLowerCase()));
}
