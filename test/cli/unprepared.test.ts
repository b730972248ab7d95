import { chmodSync, existsSync, readdirSync, readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { mayEnter } from '../../src/targets/run-folder.js';
import { runAmber, startAmber, startInTerminal } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';
import { mayTrace } from '../support/tracing.js';

const runFolder = useRunFolder();
const mayBeTraced = mayTrace();
const tracing = mayBeTraced ? it : it.skip;
afterEach(endPrograms);

/** Milliseconds in which an agent has gone that nobody asks any more; one that waits for a client does so for ten seconds. */
const PATIENCE = 60_000;

/** Answers each line with three times its length; the main thread waits in a system call meanwhile. */
const FARES = `import sys, threading
def fare(text):
    length = len(text)
    return length * 3
print('up', flush=True)
for line in sys.stdin:
    print(fare(line.strip()), flush=True)
`;
/** Its main thread never rests, and another one answers. */
const BUSY = `import sys, threading
def fare(text):
    length = len(text)
    return length * 3
def answer():
    for line in sys.stdin:
        print(fare(line.strip()), flush=True)
    over.append(True)
over = []
threading.Thread(target=answer, daemon=True).start()
print('up', flush=True)
while not over:
    sum(range(1000))
`;
const OFFICE = `class Office
  def fare(text)
    length = text.size
    length * 3
  end
end
office = Office.new
$stdout.sync = true
puts 'up'
while (line = $stdin.gets)
  puts office.fare(line.strip)
end
`;

interface Bare {
  name: string;
  command: string;
  file: string;
  source: string;
}

const ruby = rubyHas('fiddle') ? [{ name: 'Ruby', command: 'ruby', file: 'office.rb', source: OFFICE }] : [];
const bare: Bare[] = [
  ...pythons().map(({ version, path }) => ({
    name: `Python ${version}, waiting`,
    command: path,
    file: 'fares.py',
    source: FARES,
  })),
  ...pythons().map(({ version, path }) => ({
    name: `Python ${version}, busy`,
    command: path,
    file: 'fares.py',
    source: BUSY,
  })),
  ...ruby,
];

/** A program that was started without anything of ours. */
async function start({ command, file, source }: Bare): Promise<LineProgram> {
  const folder = makeFolder({ [file]: source });
  const { AMBER_RUN_DIR: _run, PYTHONPATH: _path, RUBYOPT: _options, ...env } = process.env;
  const program = new LineProgram(folder, command, [file], { env });
  await program.line('up');
  return program;
}

/** The agent goes a moment after its client, when the program gives it a turn. */
async function nothingIsLeft(): Promise<void> {
  for (const until = Date.now() + PATIENCE; readdirSync(runFolder()).length > 0; ) {
    if (Date.now() > until) {
      throw new Error(`left in the run folder: ${readdirSync(runFolder()).join(' ')}`);
    }
    await new Promise((done) => setTimeout(done, 10));
  }
}

/** What tells a process that was attached to from one that was not. */
function traces(pid: number) {
  const status = readFileSync(`/proc/${pid}/status`, 'utf8');
  const maps = readFileSync(`/proc/${pid}/maps`, 'utf8').split('\n');
  const field = (name: string) => new RegExp(`^${name}:\\s+(\\S+)`, 'm').exec(status)?.[1];
  return {
    tracer: field('TracerPid'),
    // The two signals that the library of C keeps to itself come with the first thread.
    caught: BigInt(`0x${field('SigCgt')}`) & ~(3n << 31n),
    blocked: field('SigBlk'),
    // A page of ours is the only mapping that is one page long, can be written, and belongs to no file.
    pages: maps.filter(
      (line) => /^([0-9a-f]+)-([0-9a-f]+) rw-p 00000000 00:00 0\s*$/.test(line) && isOnePage(line),
    ).length,
  };
}

function isOnePage(line: string): boolean {
  const [, from = '', to = ''] = /^([0-9a-f]+)-([0-9a-f]+)/.exec(line) ?? [];
  return Number.parseInt(to, 16) - Number.parseInt(from, 16) === 4096;
}

tracing.each(bare)('$name: is attached to as it runs, and is as before afterwards', async (which) => {
  const program = await start(which);
  const before = traces(program.pid);
  const line = which.source.split('\n').findIndex((text) => text.includes('length * 3')) + 1;
  const amber = startAmber(['attach', '--yes', `${program.pid}`], { cwd: program.folder });
  amber.type(
    `break ${which.file}:${line} when length == 4\nlog ${which.file}:${line} "{length} of {text}"\n`,
  );
  await amber.shows(/mark 2 at .* is on/);
  expect(await program.ask('Strand')).toBe('18');
  await amber.shows(/6 of '?"?Strand/);
  program.say('Holm');
  await amber.shows(/● mark 1/);
  amber.type('= length + 1\n');
  await amber.shows('5  ');
  const from = program.lines.length;
  amber.type('resume\ndetach\n');
  expect((await amber.ended).code).toBe(0);
  expect(await program.line('', from)).toBe('12');
  expect(await program.ask('Aro')).toBe('9');
  await nothingIsLeft();
  const after = traces(program.pid);
  expect(after).toEqual({ ...before, pages: expect.any(Number) });
  expect(after.pages).toBeLessThanOrEqual(before.pages);
});

tracing('is asked for: once in a project at a terminal, by --yes elsewhere', async () => {
  const [which] = bare;
  const program = await start(which as Bare);
  const pid = `${program.pid}`;
  const refused = await runAmber(['attach', pid], { cwd: program.folder, input: 'targets\n' });
  expect(refused.code).toBe(3);
  expect(refused.stderr + refused.stdout).toMatch(/stops the process for some milliseconds.*\n.*--yes/);

  const asked = startInTerminal(['attach', pid], { cwd: program.folder });
  await asked.shows('bring it in (yes or no)?');
  asked.type('no\r');
  await asked.shows('was not touched');
  await asked.ended;

  for (const answers of [['yes\r'], []]) {
    const amber = startInTerminal(['attach', pid], { cwd: program.folder });
    for (const answer of answers) {
      await amber.shows('bring it in (yes or no)?');
      amber.type(answer);
    }
    await amber.shows('attached to');
    await amber.shows('amber');
    amber.type('detach\r');
    expect((await amber.ended).code).toBe(0);
  }
  expect(await program.ask('Holm')).toBe('12');
});

it('what is listed says that it is unprepared', async () => {
  const [which] = bare;
  const program = await start(which as Bare);
  const { stdout } = await runAmber(['targets', '--json']);
  const { targets } = JSON.parse(stdout) as { targets: { pid: number; prepared: boolean; state: string }[] };
  expect(targets.find(({ pid }) => pid === program.pid)).toMatchObject({ prepared: false, state: 'free' });
  expect((await runAmber(['targets'])).stdout).toMatch(/unprepared: the agent is brought in/);
});

tracing('a process that is stopped is refused, and stays as it is', async () => {
  const [which] = bare;
  const program = await start(which as Bare);
  process.kill(program.pid, 'SIGSTOP');
  const { code, stderr } = await runAmber(['attach', '--yes', `${program.pid}`]);
  expect(code).toBe(3);
  expect(stderr).toMatch(/is stopped\n.*kill -CONT/);
  process.kill(program.pid, 'SIGCONT');
  expect(await program.ask('Holm')).toBe('12');
});

tracing('goes on when amber is killed at any moment of it', async () => {
  const [which] = bare;
  const program = await start(which as Bare);
  for (let delay = 100; delay < 400; delay += 25) {
    const amber = startAmber(['attach', '--yes', `${program.pid}`], { cwd: program.folder });
    await new Promise((done) => setTimeout(done, delay));
    amber.child.kill('SIGKILL');
    await amber.ended;
    expect(await program.ask('Holm')).toBe('12');
  }
  const amber = startAmber(['attach', '--yes', `${program.pid}`], { cwd: program.folder });
  await amber.shows('attached to');
  amber.type('detach\n');
  expect((await amber.ended).code).toBe(0);
  await nothingIsLeft();
});

tracing(
  'of several that are named one that has gone is told of, and the others are attached to',
  async () => {
    const [which] = bare;
    const program = await start(which as Bare);
    const args = ['attach', '--yes', '4194303', `${program.pid}`];
    const { code, stdout } = await runAmber(args, { cwd: program.folder, input: 'targets\n' });
    expect(code).toBe(0);
    expect(stdout).toContain('there is no process 4194303');
    expect(stdout).toContain(`(python:${program.pid})`);
    const none = await runAmber(['attach', '4194303', '4194302'], { cwd: program.folder });
    expect(none).toMatchObject({ code: 3, stderr: expect.stringContaining('there is no process 4194303') });
  },
);

const NOBODY = 65534;
const SYSTEM_PYTHON = '/usr/bin/python3';
const asRoot = mayBeTraced && process.getuid?.() === 0 && existsSync(SYSTEM_PYTHON) ? it : it.skip;

asRoot('root attaches to a process of another user, in that user\u2019s own folder', async () => {
  const folder = makeFolder({ 'fares.py': FARES });
  chmodSync(folder, 0o755);
  const program = new LineProgram(folder, SYSTEM_PYTHON, ['fares.py'], { uid: NOBODY, gid: NOBODY, env: {} });
  await program.line('up');
  const { code, stdout, stderr } = await runAmber(['attach', '--yes', `${program.pid}`], {
    cwd: folder,
    input: 'log fares.py:4 "{length}"\n',
  });
  const agents = resolve(__dirname, '..', '..', 'runtimes', 'python', 'agent');
  if (mayEnter(agents, { uid: NOBODY, groups: [NOBODY] })) {
    expect(stdout).toMatch(/mark 1 at fares.py:4 is on/);
    expect(code).toBe(0);
  } else {
    expect(stderr).toMatch(/who cannot read the agent in/);
    expect(code).toBe(3);
  }
  expect(await program.ask('Holm')).toBe('12');
});
