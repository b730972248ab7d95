import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { agentEnvironment } from '../../runtimes/list.js';
import { type Amber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';
import { mayTrace } from '../support/tracing.js';

useRunFolder();
const mayBeTraced = mayTrace();
afterEach(endPrograms);

/** For each line that comes in two forks do their work; the sum is printed. */
const PYTHON = `import multiprocessing, sys
def quote(n):
    total = n * 2
    return total
if __name__ == '__main__':
    print('ready', flush=True)
    for line in sys.stdin:
        pool = multiprocessing.get_context('fork').Pool(2)
        total = sum(pool.map(quote, [1, 2, 3, 4]))
        pool.close()
        pool.join()
        print(f'sum {total}', flush=True)
`;
const RUBY = `$stdout.sync = true
def quote(n)
  total = n * 2
  total
end
puts 'ready'
while gets
  reading, writing = IO.pipe
  forks = [[1, 2], [3, 4]].map { |ns| fork { writing.puts(ns.sum { |n| quote(n) }) } }
  forks.each { |pid| Process.wait(pid) }
  puts "sum #{reading.gets.to_i + reading.gets.to_i}"
end
`;

const [oldest, newest] = [pythons()[0], pythons().at(-1)];
const PROGRAMS: [string, string, string[], boolean][] = [
  [`Python ${oldest?.version}`, 'stamping.py', [oldest?.path ?? '', 'stamping.py'], oldest !== undefined],
  [`Python ${newest?.version}`, 'stamping.py', [newest?.path ?? '', 'stamping.py'], newest !== undefined],
  ['Ruby', 'stamping.rb', ['ruby', 'stamping.rb'], rubyHas('fiddle')],
];

/** It starts a program of its own, which works until a file is there. */
const STARTS = `import subprocess, sys
print('ready', flush=True)
for line in sys.stdin:
    subprocess.run([sys.executable, 'inner.py'])
    print('ended', flush=True)
`;
const INNER = `import os, time
def quote(n):
    total = n * 2
    return total
while not os.path.exists('enough'):
    quote(4)
    time.sleep(0.02)
`;

it('what an attached Python starts anew is joined a moment later', async () => {
  const folder = makeFolder({ 'starting.py': STARTS, 'inner.py': INNER });
  const env = { ...process.env, ...agentEnvironment(process.env) };
  const service = new LineProgram(folder, newest?.path ?? 'python3', ['starting.py'], { env });
  await service.line('ready');
  const marks = ['--log', 'inner.py:4 "quoted {total}"'];
  const amber = startAmber(['attach', `${service.pid}`, ...marks], { cwd: folder });
  await amber.shows('attached to');
  service.say('go');
  await amber.shows('also attached');
  await amber.shows('quoted 8');
  writeFileSync(join(folder, 'enough'), '');
  expect(await service.line('ended')).toBe('ended');
  amber.type('detach\n');
  await amber.ended;
});

describe.each(PROGRAMS)('what an attached %s forks', (_, file, [program = '', ...args], isHere) => {
  const isRuby = file.endsWith('.rb');

  const start = async (isPrepared: boolean) => {
    const folder = makeFolder({ [file]: isRuby ? RUBY : PYTHON });
    const env = { ...process.env, ...(isPrepared ? agentEnvironment(process.env) : {}) };
    const service = new LineProgram(folder, program, args, { env });
    await service.line('ready');
    return service;
  };
  const attach = async (service: LineProgram, ...more: string[]): Promise<Amber> => {
    const marks = ['--log', `${file}:4 "quoted {total}"`];
    const amber = startAmber(['attach', `${service.pid}`, '--yes', ...marks, ...more], {
      cwd: service.folder,
    });
    await amber.shows('attached to');
    return amber;
  };

  describe.each([
    ['prepared', true],
    ['unprepared', false],
  ])('%s', (__, isPrepared) => {
    (isHere && (isPrepared || mayBeTraced) ? it : it.skip)(
      'has its marks before it runs on, and each hit is told',
      async () => {
        const service = await start(isPrepared);
        const amber = await attach(service);
        for (let round = 1; round <= 3; round += 1) {
          expect(await service.ask('go')).toBe('sum 20');
        }
        const told = () => (amber.stdout.match(/quoted \d+/g) ?? []).sort();
        await amber.shows(/(?:quoted \d[\s\S]*){12}/);
        expect(told()).toEqual([2, 4, 6, 8].flatMap((total) => Array(3).fill(`quoted ${total}`)));
        expect(amber.stdout + amber.stderr).toMatch(/also attached: target \d+ \(\S+ \d+\), forked by /);
        amber.type('detach\n');
        expect((await amber.ended).code).toBe(0);
        expect(await service.ask('go')).toBe('sum 20');
      },
    );
  });

  (isHere ? it : it.skip)('is let be where that was asked for, and when there are too many', async () => {
    const service = await start(true);
    const alone = await attach(service, '--alone');
    expect(await service.ask('go')).toBe('sum 20');
    alone.type('detach\n');
    const { stdout } = await alone.ended;
    expect(stdout).not.toContain('also attached');
    expect(stdout).not.toContain('quoted');
    const amber = await attach(service);
    for (let round = 1; round <= 10; round += 1) {
      expect(await service.ask('go')).toBe('sum 20');
    }
    await amber.shows('what this process forks from now on has no marks: there were 16 forks');
    amber.type('detach\n');
    await amber.ended;
  });

  (isHere ? it : it.skip)('goes on when amber stands still or is killed', async () => {
    const service = await start(true);
    const amber = await attach(service);
    amber.child.kill('SIGSTOP');
    const answer = service.ask('go');
    amber.child.kill('SIGKILL');
    expect(await answer).toBe('sum 20');
    expect(await service.ask('go')).toBe('sum 20');
  });
});
