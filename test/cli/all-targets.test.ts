import { basename } from 'node:path';
import { runAmber, startAmber } from '../support/amber.js';
import { freePort, useRunFolder } from '../support/attached.js';
import { endPrograms, makeFolder } from '../support/program.js';
import { Program, pythons } from '../support/python.js';
import { describeRuby, RubyProgram } from '../support/ruby.js';

useRunFolder();
afterEach(endPrograms);

const PYTHON = `import sys
def quote(n):
    total = n * 2
    if n < 0:
        raise ValueError('no passengers')
    return total
print('ready', flush=True)
for line in sys.stdin:
    try:
        print(line.strip(), '->', quote(int(line)), flush=True)
    except ValueError:
        print(line.strip(), '-> refused', flush=True)
`;
const RUBY = `$stdout.sync = true
puts 'ready'
while (line = gets)
  count = Integer(line)
  puts "#{count} -> #{count * 2}"
end
`;
const python = pythons().at(-1)?.path ?? 'python3';

describe('several processes of one program in a prompt', () => {
  const start = async () => {
    const programs = [new Program(python, PYTHON), new Program(python, PYTHON)] as const;
    await Promise.all(programs.map((program) => program.line('ready')));
    const amber = startAmber(['attach', ...programs.map(({ pid }) => `${pid}`), '--json']);
    return { programs, amber };
  };

  it('have all marks by function, and say so', async () => {
    const { programs, amber } = await start();
    amber.type('log quote "total {n}"\n');
    await amber.shows('"kind":"marks"');
    for (const [index, program] of programs.entries()) {
      expect(await program.ask(`${index + 4}`)).toBe(`${index + 4} -> ${(index + 4) * 2}`);
      await amber.shows(`"text":"total ${index + 4}"`);
    }
    amber.type('marks\n');
    const text = await amber.shows('"hits":2');
    const ids = programs.map(({ pid }) => `"python:${pid}"`).join(',');
    expect(text).toContain(`"targets":[${ids}]`);
    amber.type('detach\n');
    expect((await amber.ended).code).toBe(0);
  });

  it('stop at errors in each, count them, and say which of them is paused', async () => {
    const { programs, amber } = await start();
    amber.type('break error ValueError\n');
    await amber.shows('"kind":"marks"');
    const asked = programs[1].ask('-1');
    await amber.shows('"kind":"stop"');
    amber.type('stack\n');
    expect(await amber.shows('"kind":"error"')).toContain('"hint":"target 2 has one: `target 2`"');
    amber.type('target 2\nresume\nmarks\n');
    expect(await asked).toBe('-1 -> refused');
    await amber.shows('"hits":1');
    amber.type('detach\n');
    expect((await amber.ended).code).toBe(0);
  });
});

describe('a wait for several processes', () => {
  it.each([0, 1])('ends with a stop in any of them (number %i), which is selected then', async (index) => {
    const programs = [new Program(python, PYTHON), new Program(python, PYTHON)] as const;
    await Promise.all(programs.map((program) => program.line('ready')));
    const amber = startAmber(['attach', ...programs.map(({ pid }) => `${pid}`)]);
    amber.type('break quote\n');
    await amber.shows('is on');
    amber.type('wait 60\nvars\nresume\nmarks\n');
    expect(await programs[index]?.ask('4')).toBe('4 -> 8');
    const text = await amber.shows('mark  kind');
    expect(text).toMatch(new RegExp(`● mark 1 .* · ${basename(programs[index]?.folder ?? '')}\\n`));
    expect(text).toMatch(/n +4 +int/);
    expect(text).not.toContain('also stopped');
    amber.type('detach\n');
    expect((await amber.ended).code).toBe(0);
  });
});

describeRuby('a target on a port', [], () => {
  it('is of the language that it says, so that marks in its files are for it', async () => {
    const port = await freePort();
    const env = { AMBER_LISTEN: `127.0.0.1:${port}`, AMBER_TOKEN: 'holm' };
    const program = new RubyProgram(RUBY, {}, { env });
    await program.line('ready');
    const amber = startAmber(['attach', `tcp:127.0.0.1:${port}`], { cwd: program.folder, env });
    await amber.shows('attached to');
    amber.type('log app.rb:5 "count {count}"\n');
    await amber.shows('is on');
    expect(await program.ask('4')).toBe('4 -> 8');
    await amber.shows('count 4');
    amber.type('detach\n');
    expect((await amber.ended).code).toBe(0);
  });
});

it('keeps what a launched program prints out of the records', async () => {
  const cwd = makeFolder({ 'app.py': "print('a fare')\nprint('two fares')\n", commands: 'marks\nresume\n' });
  const args = ['launch', '--json', '--commands', 'commands', '--', python, 'app.py'];
  const { stdout, stderr, code } = await runAmber(args, { cwd });
  expect(code).toBe(0);
  for (const line of stdout.trim().split('\n')) {
    expect(JSON.parse(line)).toHaveProperty('kind');
  }
  expect(stderr).toContain('a fare\ntwo fares\n');
});
