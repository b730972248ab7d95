import { join } from 'node:path';
import { recordsOf, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { phpHas } from '../support/php.js';
import { makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';

useRunFolder();

const PYTHON = `import os, signal, sys
def price(n):
    total = n * 2
    return total
for n in range(1234):
    price(n)
`;
const RUBY = `def price(n)
  total = n * 2
  total
end
1234.times { |n| price(n) }
`;
const NODE = `function price(n) {
  const total = n * 2;
  return total;
}
for (let n = 0; n < 1234; n += 1) price(n);
`;
const PHP = `<?php
function price($n) {
    $total = $n * 2;
    return $total;
}
for ($n = 0; $n < 1234; $n += 1) { price($n); }
`;
const python = pythons().at(-1)?.path ?? 'python3';
const PROGRAMS: [string, string, string, string, boolean][] = [
  ['Python, at its end', 'app.py', PYTHON, python, true],
  ['Python, by os._exit', 'app.py', `${PYTHON}os._exit(0)\n`, python, true],
  ['Ruby, at its end', 'app.rb', RUBY, 'ruby', rubyHas()],
  ['Ruby, by exit!', 'app.rb', `${RUBY}exit!(0)\n`, 'ruby', rubyHas()],
  ['JavaScript, at its end', 'app.js', NODE, process.execPath, true],
  ['JavaScript, by process.exit', 'app.js', `${NODE}process.exit(0);\n`, process.execPath, true],
  ['PHP, at its end', 'app.php', PHP, 'php', phpHas('cli')],
];

function launched(file: string, source: string, program: string, ...more: string[]) {
  const line = file.endsWith('.py') || file.endsWith('.php') ? 4 : 3;
  const commands = `count ${file}:${line}\nresume\nwait 30\n`;
  const folder = makeFolder({ [file]: source, commands });
  const args = ['launch', '--commands', join(folder, 'commands'), ...more, '--', program, file];
  return startAmber(args, { cwd: folder }).ended;
}

describe.each(PROGRAMS)('%s', (_, file, source, program, isHere) => {
  (isHere ? it : it.skip)('tells exactly what a counter has come to', async () => {
    const { stdout, stderr } = await launched(file, source, program);
    expect(stdout + stderr).toMatch(/^1,234 passes of mark 1 \(app\.\w+:\d\) in \S+$/m);
  });
});

it('a counter of a program that was killed is not told as if it were known', async () => {
  const source = `${PYTHON}os.kill(os.getpid(), signal.SIGKILL)\n`;
  const { stdout, stderr } = await launched('app.py', source, python);
  expect(stdout + stderr).toMatch(/^at least [\d,]+ passes of mark 1 /m);
  const killed = recordsOf((await launched('app.py', source, python, '--json')).stdout);
  expect(killed.find(({ kind }) => kind === 'ended')).toMatchObject({ final: false });
  const ended = recordsOf((await launched('app.py', PYTHON, python, '--json')).stdout);
  expect(ended.find(({ kind }) => kind === 'ended')).toMatchObject({
    counts: [{ mark: 1, count: 1234 }],
    final: true,
  });
});
