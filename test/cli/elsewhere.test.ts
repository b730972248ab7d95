import { spawn, spawnSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { allPids, processFacts } from '../../src/targets/linux.js';
import { recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';
import { mayTrace } from '../support/tracing.js';
import { until } from '../support/until.js';

useRunFolder();

const PROGRAMS: Record<string, { file: string; source: string }> = {
  python: {
    file: 'fares.py',
    source: `import time
def quote(n):
    total = n * 2
    return total
n = 0
while True:
    n += 1
    quote(n)
    time.sleep(0.02)
`,
  },
  ruby: {
    file: 'tides.rb',
    source: `def quote(n)
  total = n * 2
  # What is returned.
  total
end
n = 0
loop { n += 1; quote(n); sleep 0.02 }
`,
  },
  javascript: {
    file: 'desk.js',
    source: `let n = 0;
function quote(n) {
  const total = n * 2;
  return total;
}
setInterval(() => quote(n++), 20);
`,
  },
};

/** Whether namespaces may be made here, which in a container without rights they may not. */
const canEnclose =
  process.getuid?.() === 0 && spawnSync('unshare', ['-mpfnu', '--mount-proc', 'true']).status === 0;

/** Runs a program in namespaces of its own: its files, pids, ports and host name are not ours. */
async function enclose(
  program: string,
  file: string,
  source: string,
): Promise<{ pid: number; end: () => void }> {
  const outer = makeFolder({ [file]: source });
  const script = [
    'mount -t tmpfs tmpfs /mnt',
    'mkdir /mnt/office && cp "$1" /mnt/office/',
    'mount -t tmpfs tmpfs /tmp',
    'hostname quay',
    'ip link set lo up 2>/dev/null',
    'cd /mnt/office && exec "$2" "$3"',
  ].join('\n');
  const child = spawn(
    'unshare',
    ['-mpfnu', '--kill-child', '--mount-proc', 'sh', '-c', script, 'sh', join(outer, file), program, file],
    { stdio: 'ignore', env: { ...process.env, AMBER_RUN_DIR: '' } },
  );
  const inner = () =>
    allPids().find((pid) => {
      const facts = processFacts(pid);
      return facts !== undefined && facts.parent === child.pid && facts.command.endsWith(` ${file}`);
    });
  await until(() => inner() !== undefined);
  return { pid: inner() ?? 0, end: () => void child.kill('SIGKILL') };
}

const [python] = pythons();
const canTrace = mayTrace();
const cases = [
  { runtime: 'javascript', program: NODE, isThere: true },
  { runtime: 'python', program: python?.path, isThere: python !== undefined && canTrace },
  { runtime: 'ruby', program: 'ruby', isThere: rubyHas('fiddle') && canTrace },
];

describe.each(cases)('a $runtime program in a container', ({ runtime, program, isThere }) => {
  (canEnclose && isThere ? it : it.skip)(
    'is found, attached to from outside, and left as it was',
    async () => {
      const { file, source } = PROGRAMS[runtime] ?? { file: '', source: '' };
      const { pid, end } = await enclose(program ?? '', file, source);
      try {
        const root = `/proc/${pid}/root`;
        const { stdout } = await runAmber(['targets', '--json']);
        const [found] = recordsOf(stdout);
        const targets = found?.kind === 'targets' ? found.targets : [];
        expect(targets.find((target) => target.pid === pid)).toMatchObject({
          host: 'quay',
          folder: '/mnt/office',
        });
        const amber = startAmber(['attach', `${pid}`, '--yes']);
        amber.type(`break ${file}:4 hits 3\nwait 60\nstack\n= total % 2\nresume\ndetach\n`);
        await amber.shows(`mark 1 at /mnt/office/${file}:4 is on`);
        const card = await amber.shows('● mark 1');
        expect(card).toContain(`/mnt/office/${file}:4 in quote`);
        const { code, stdout: text } = await amber.ended;
        expect(code).toBe(0);
        expect(text).toMatch(/next ▸ 4 │ +(return )?total/);
        expect(text).toMatch(/amber> = total % 2\n0/);
        const left = () =>
          readdirSync(`${root}/tmp`).flatMap((name) =>
            name.startsWith('amber-lantern') ? readdirSync(`${root}/tmp/${name}`) : [name],
          );
        await until(() => left().length === 0);
        expect(existsSync(`${root}/mnt/office`)).toBe(true);
        expect(processFacts(pid)).toBeDefined();

        // The same file by the path that it has over there; amber is killed this time.
        const again = startAmber(['attach', `${pid}`, '--yes']);
        again.type(`log /mnt/office/${file}:4 "told {total}"\n`);
        await again.shows(/told \d+/);
        again.child.kill('SIGKILL');
        await again.ended;
        await until(() => left().length === 0);
        expect(processFacts(pid)).toBeDefined();
      } finally {
        end();
      }
    },
  );
});
