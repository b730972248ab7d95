import { mkdirSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { recordsOf, runAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { mayTrace } from '../support/tracing.js';

useRunFolder();
afterEach(endPrograms);

interface Finding {
  state: string;
  what: string;
  found: string;
  remedy?: string;
}

async function findings(args: string[], cwd?: string): Promise<{ code: number | null; all: Finding[] }> {
  const { code, stdout } = await runAmber(['check', '--json', ...args], cwd === undefined ? {} : { cwd });
  const [record] = recordsOf(stdout);
  if (record?.kind !== 'check') {
    throw new Error(`no record of findings: ${stdout}`);
  }
  expect(record.ok).toBe(code === 0);
  return { code, all: record.sections.flatMap((section) => section.findings) };
}

it('a project with five things wrong: each is said, with what mends it', async () => {
  const server = createServer();
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const address = server.address();
  const port = typeof address === 'object' ? address?.port : 0;
  const closed = createServer();
  await new Promise<void>((done) => closed.listen(0, '127.0.0.1', done));
  const gone = closed.address();
  const nobody = typeof gone === 'object' ? gone?.port : 0;
  await new Promise((done) => closed.close(done));
  const folder = makeFolder({
    'fares.py': 'def fare(n):\n    total = n\n\n    return total\n',
    'amber.yaml': [
      'targets:',
      '  fares: { command: a-service-that-nobody-started }',
      'marks:',
      '  - break: fares.py:2 when n > 3',
      '  - log: tables.py:12 "{n}"',
      '  - count: fares.py:99',
      '  - break: fares.py:3',
      '  - break: fare',
      'requests:',
      `  quote: { url: 'http://127.0.0.1:${port}/quotes' }`,
      `  booking: { url: 'http://127.0.0.1:${nobody}/bookings' }`,
      'paths:',
      '  - { local: src, remote: /srv/office }',
      '  - { local: app, remote: /srv/app }',
    ].join('\n'),
  });
  mkdirSync(join(folder, 'app'));
  writeFileSync(join(folder, 'app', 'office.py'), '');
  const { code, all } = await findings([], folder);
  server.close();
  const of = (what: string) => all.find((finding) => finding.what === what);
  expect(code).toBe(1);
  expect(all.filter(({ state }) => state === 'wrong').map(({ what }) => what)).toEqual([
    'target fares',
    'mark 2',
    'mark 3',
    'request booking',
    'path src',
  ]);
  expect(of('target fares')?.remedy).toContain('amber run');
  expect(of('mark 1')?.found).toBe('fares.py:2  total = n');
  expect(of('mark 2')).toMatchObject({ found: expect.stringContaining('there is no file tables.py') });
  expect(of('mark 3')?.found).toContain('fares.py has 4 lines');
  expect(of('mark 4')).toMatchObject({ state: 'note', found: expect.stringContaining('empty') });
  expect(of('mark 5')?.state).toBe('good');
  expect(of('request quote')?.state).toBe('good');
  expect(of('request booking')?.found).toContain('nothing listens there');
  expect(of('path app')?.found).toContain('/srv/app/office.py');
});

it('this machine: interpreters with their versions, the run folder, what may be traced', async () => {
  const { all } = await findings([], makeFolder({}));
  const of = (what: string) => all.find((finding) => finding.what === what);
  expect(of('node')?.found).toMatch(/^\d+\.\d+\.\d+ at \//);
  expect(of('python3')?.found).toMatch(/^3\.\d+\.\d+ at \/.*running already/);
  expect(of('run folder')?.state).toBe('good');
  expect(of('tracing')?.state).toMatch(/good|note/);
  expect(of('amber.yaml')).toMatchObject({ state: 'note', found: expect.stringContaining('there is none') });
});

it('a mistake in amber.yaml is told with its line', async () => {
  const { code, all } = await findings([], makeFolder({ 'amber.yaml': 'marks:\n  - brek: fares.py:2\n' }));
  expect(code).toBe(1);
  expect(all.find(({ what }) => what === 'amber.yaml')?.found).toContain('line 2');
});

it('one target: every step, and what stands in the way', async () => {
  const folder = makeFolder({ 'app.js': "setInterval(() => {}, 1000); console.log('up');\n" });
  const program = new LineProgram(folder, NODE, ['app.js'], { env: { ...process.env } });
  await program.line('up');
  const pid = `${program.pid}`;
  const fine = await findings([pid]);
  expect(fine.code).toBe(0);
  expect(fine.all.map(({ what }) => what)).toEqual(['process', 'owner', 'state', 'inspector', 'so']);

  process.kill(program.pid, 'SIGSTOP');
  const stopped = await findings([pid]);
  expect(stopped.code).toBe(1);
  expect(stopped.all.at(-1)).toMatchObject({ state: 'wrong', what: 'state', remedy: `kill -CONT ${pid}` });
  process.kill(program.pid, 'SIGCONT');

  const { code, all } = await findings(['4194303']);
  expect(code).toBe(1);
  expect(all).toMatchObject([{ state: 'wrong', found: 'there is no process 4194303' }]);
});

it('people read one line a finding, folded to the terminal, and what mends it below', async () => {
  const { stdout, code } = await runAmber(['check', '4194303']);
  expect(code).toBe(1);
  expect(stdout).toBe(
    'process 4194303\n  wrong  process  there is no process 4194303\n                  ▸ amber targets\n\n1 thing is wrong\n',
  );
});

(mayTrace() ? it : it.skip)(
  'a Python that nobody has prepared: what the agent would need, and the command',
  async () => {
    const python = new LineProgram(makeFolder({}), 'python3', ['-c', "print('up', flush=True); input()"], {
      env: { ...process.env },
    });
    await python.line('up');
    const bare = await findings([`${python.pid}`]);
    expect(bare.code).toBe(0);
    expect(bare.all.map(({ what }) => what)).toEqual([
      'process',
      'owner',
      'state',
      'agent',
      'memory',
      'interpreter',
      'so',
    ]);
    expect(bare.all.at(-1)?.found).toBe(`amber attach ${python.pid} --yes`);
  },
);
