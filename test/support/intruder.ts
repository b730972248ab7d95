import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

/** A user who has nothing to do with anybody. */
export const NOBODY = 65_534;
/** Whether we may be other users, who may read this checkout: not where it is in a folder of root's own. */
const mayBeOthers =
  process.getuid?.() === 0 &&
  spawnSync('setpriv', ['--reuid', `${NOBODY}`, '--clear-groups', 'test', '-r', __filename]).status === 0;
/** A test that needs to be other users; as root it can, which CI is. */
export const forRoot = mayBeOthers ? it : it.skip;

/** Tries everything that another user of the machine might, and prints what has worked. */
const INTRUDER = `
const fs = require('node:fs');
const net = require('node:net');
const { join } = require('node:path');
const [folder, pid, ...names] = process.argv.slice(1);
const got = [];
const tries = (what, work) => {
  try {
    work();
    got.push(what);
  } catch {}
};
const connects = (path) =>
  new Promise((done) => {
    const socket = net.connect({ path }, () => (got.push('connects to ' + path), socket.destroy(), done()));
    socket.on('error', done);
  });
(async () => {
  tries('lists', () => fs.readdirSync(folder));
  tries('signals', () => process.kill(Number(pid), 'SIGUSR1'));
  for (const path of names.map((name) => join(folder, name))) {
    tries('sees ' + path, () => fs.statSync(path));
    tries('reads ' + path, () => fs.readFileSync(path));
    await connects(path);
    tries('replaces ' + path, () => fs.renameSync('/etc/hostname', path));
    tries('removes ' + path, () => fs.unlinkSync(path));
  }
  tries('plants a description', () => fs.writeFileSync(join(folder, Number(pid) + 1 + '.json'), ''));
  tries('plants a folder', () => fs.mkdirSync(join(folder, 'php')));
  tries('plants a link', () => fs.symlinkSync('/tmp', join(folder, 'php-cache')));
  console.log(got.join(','));
})();
`;

/** Everything below a folder, by its name from there. */
const below = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory()
      ? [entry.name, ...below(join(folder, entry.name)).map((name) => join(entry.name, name))]
      : [entry.name],
  );

/** What nobody gets from a run folder and a process, and the names of what is in that folder. */
export function intrude(folder: string, pid: number): { got: string; names: string[] } {
  const names = existsSync(folder) ? below(folder) : [];
  const args = [`--reuid=${NOBODY}`, `--regid=${NOBODY}`, '--clear-groups', process.execPath, '-e', INTRUDER];
  const { stdout, status } = spawnSync('setpriv', [...args, folder, `${pid}`, ...names], {
    encoding: 'utf8',
  });
  expect(status).toBe(0);
  return { got: stdout.trim(), names };
}
