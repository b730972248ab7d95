import { join } from 'node:path';
import { type Amber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';

useRunFolder();

function launch(
  files: Record<string, string>,
  commands: string[],
  command: string[],
  ...more: string[]
): Amber {
  const folder = makeFolder({ ...files, commands: `${commands.join('\n')}\n` });
  return startAmber(['launch', '--commands', join(folder, 'commands'), ...more, '--', ...command], {
    cwd: folder,
  });
}

const QUOTE = 'def quote(n):\n    total = n * 2\n    return total\n';
const POOL = (method: string) => `import multiprocessing
from quote import quote
if __name__ == '__main__':
    with multiprocessing.get_context('${method}').Pool(2) as pool:
        total = sum(pool.map(quote, range(10)))
    # In one piece: others write into the same terminal.
    print(f'sum {total}', flush=True)
`;
const STOPS = ['break quote.py:3 when n == 7', 'resume', 'wait 30', '= total', 'resume', 'wait 30'];

describe.each([pythons()[0], pythons().at(-1)])('what a Python starts under amber launch', (found) => {
  const python = found?.path ?? '';

  it.each(['fork', 'spawn'])('stops before its mark is passed for the first time: by %s', async (method) => {
    const amber = launch({ 'quote.py': QUOTE, 'app.py': POOL(method) }, STOPS, [python, 'app.py']);
    const { stdout, code } = await amber.ended;
    expect(stdout).toMatch(/● mark 1 · quote\.py:3 in quote · \S+ · /);
    expect(stdout).toContain('14  int');
    expect(stdout).toContain('sum 90');
    expect(code).toBe(0);
  });

  it('stops in a program of its own that it runs', async () => {
    const files = {
      'quote.py': `${QUOTE}print(f'quote {quote(7)}')\n`,
      'app.py':
        "import subprocess, sys\ngiven = subprocess.run([sys.executable, 'quote.py']).returncode\nprint(f'gives {given}')\n",
    };
    const { stdout, code } = await launch(files, STOPS, [python, 'app.py']).ended;
    expect(stdout).toMatch(/● mark 1 · quote\.py:3 in quote/);
    expect(stdout).toContain('quote 14');
    expect(stdout).toContain('gives 0');
    expect(code).toBe(0);
  });

  it('is left alone where that was asked for, and when nobody is there any more', async () => {
    const files = { 'quote.py': QUOTE, 'app.py': POOL('fork') };
    const alone = await launch(files, STOPS, [python, 'app.py'], '--alone').ended;
    expect(alone.stdout).toContain('sum 90');
    expect(alone.stdout).not.toContain('also attached');
    expect(alone.stdout).not.toContain('● mark 1');
    const left = await launch(files, ['break quote.py:3', 'detach'], [python, 'app.py']).ended;
    expect(left.stdout).toContain('sum 90');
    expect(left.stdout).not.toContain('also attached');
  });

  it('goes on when amber is killed while it waits', async () => {
    const app = `import os, signal, sys, time
os.kill(os.getppid(), signal.SIGSTOP)
child = os.fork()
if child == 0:
    print('child runs', flush=True)
    os._exit(0)
time.sleep(0.5)
os.kill(os.getppid(), signal.SIGKILL)
os.waitpid(child, 0)
print('parent runs', flush=True)
`;
    const amber = launch({ 'app.py': app }, ['resume', 'wait 60'], [python, 'app.py']);
    await amber.shows('parent runs');
    expect(amber.stdout).toContain('child runs');
    await amber.ended;
  });
});

const RUBY_QUOTE = 'def quote(n)\n  total = n * 2\n  total\nend\n';
const RUBY_STOPS = ['break quote.rb:3 when n == 7', 'resume', 'wait 30', '= total', 'resume', 'wait 30'];
const ruby = rubyHas() ? describe : describe.skip;

ruby('what a Ruby starts under amber launch', () => {
  it.each([
    ['forks', 'Process.wait(fork { puts "quote #{quote(7)}" })\n'],
    ['runs', "system('ruby', 'child.rb')\n"],
  ])('stops before its mark is passed for the first time: what it %s', async (_how, work) => {
    const child = 'require_relative \'quote\'\nputs "quote #{quote(7)}"\n';
    const files = {
      'quote.rb': RUBY_QUOTE,
      'child.rb': child,
      'app.rb': `require_relative 'quote'\n${work}puts 'done'\n`,
    };
    const { stdout, code } = await launch(files, RUBY_STOPS, ['ruby', 'app.rb']).ended;
    expect(stdout).toMatch(/● mark 1 · quote\.rb:3 in \S*quote/);
    expect(stdout).toContain('14  Integer');
    expect(stdout).toContain('quote 14');
    expect(stdout).toContain('done');
    expect(code).toBe(0);
  });
});
