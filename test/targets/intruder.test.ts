import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Amber, childrenOf, runAmber, startAmber } from '../support/amber.js';
import { forRoot, intrude, NOBODY } from '../support/intruder.js';
import { lineOf } from '../support/node.js';
import { phpHas } from '../support/php.js';
import { makeFolder } from '../support/program.js';
import { rubyHas } from '../support/ruby.js';

interface Service {
  file: string;
  command: string[];
  source: string;
}

const SERVICES: Record<string, Service> = {
  python: {
    file: 'service.py',
    command: ['python3', 'service.py'],
    source: `import time
def work(n):
    twice = n * 2
    return twice
print('ready', flush=True)
while True:
    work(1)
    time.sleep(0.01)
`,
  },
  ruby: {
    file: 'service.rb',
    command: ['ruby', 'service.rb'],
    source: `def work(n)
  twice = n * 2
  twice
end
puts 'ready'
STDOUT.flush
loop do
  work(1)
  sleep 0.01
end
`,
  },
  php: {
    file: 'service.php',
    command: ['php', '-S', '127.0.0.1:0', 'service.php'],
    source: '<?php\n$twice = 2;\necho $twice;\n',
  },
};
const isThere: Record<string, () => boolean> = { ruby: () => rubyHas('socket'), php: () => phpHas('cli') };

describe('another user of the machine', () => {
  let base: string;
  const folders: string[] = [];
  beforeEach(() => {
    base = mkdtempSync(join(tmpdir(), 'amber-base-'));
    folders.push(base);
    // As the system gives it to each user: others may pass, and see what they are allowed to.
    spawnSync('chmod', ['755', base]);
  });
  afterAll(() => {
    for (const folder of folders) {
      rmSync(folder, { recursive: true, force: true });
    }
  });

  const runtimes = Object.keys(SERVICES).filter((each) => isThere[each]?.() ?? true);
  for (const runtime of runtimes) {
    forRoot(`gets nowhere near a ${runtime} program, asleep, attached to, and after a kill`, async () => {
      const { file, command, source } = SERVICES[runtime] as Service;
      const project = makeFolder({ [file]: source });
      // Not yet there: it is made by whoever comes first, which must not be somebody else.
      const env = { AMBER_RUN_DIR: '', XDG_RUNTIME_DIR: base };
      const folder = join(base, 'amber-lantern');
      const service = startAmber(['run', '--', ...command], { cwd: project, env });
      await service.shows(/ready|started/);
      const [pid = 0] = childrenOf(service.child.pid);
      expect(intrude(folder, pid).got).toBe('');
      const amber: Amber = startAmber(['attach', `${pid}`], { cwd: project, env });
      amber.type(`count ${file}:${lineOf(source, 'twice =')}\n`);
      await amber.shows('is on');
      const attached = intrude(folder, pid);
      expect(attached.got).toBe('');
      expect(attached.names.length).toBeGreaterThan(1);
      amber.child.kill('SIGKILL');
      await amber.ended;
      expect(intrude(folder, pid).got).toBe('');
      service.child.kill('SIGTERM');
      await service.ended;
    });
  }

  forRoot.each<[string, (path: string) => void]>([
    ['a folder', (path) => spawnSync('install', ['-d', '-o', `${NOBODY}`, path])],
    ['a folder that everybody may write to', (path) => spawnSync('install', ['-d', '-m', '777', path])],
    ['a link', (path) => symlinkSync(tmpdir(), path)],
    ['a file', (path) => writeFileSync(path, '')],
  ])('plants %s before we come: it is refused, and nothing is started', async (_what, plant) => {
    const path = join(base, 'amber-lantern');
    plant(path);
    const env = { AMBER_RUN_DIR: '', XDG_RUNTIME_DIR: base };
    const { code, stderr } = await runAmber(['targets'], { env });
    expect(stderr).toMatch(/is not a folder|belongs to another user or is open to others/);
    expect(code).toBe(3);
    const project = makeFolder({ 'app.py': "print('done')\n" });
    const started = await runAmber(['run', '--', 'python3', 'app.py'], { cwd: project, env });
    expect(started.code).toBe(3);
    expect(started.stdout).toBe('');
  });
});
