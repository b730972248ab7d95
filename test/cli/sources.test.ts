import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { phpHas } from '../support/php.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';
import { mayTrace } from '../support/tracing.js';

useRunFolder();
afterEach(endPrograms);

/** Programs on the command line that evaluate more code; each answers a line with what that gives. */
const PYTHON = `import sys
names = {}
exec("def fare(n):\\n    base = 10\\n    return base * n\\n", names)
print('ready', flush=True)
for line in sys.stdin:
    print(names['fare'](int(line)), flush=True)
`;
const RUBY = `eval("def fare(n)\\n  base = 10\\n  base * n\\nend")
$stdout.sync = true
puts 'ready'
while (line = $stdin.gets)
  puts fare(line.to_i)
end
`;
const JAVASCRIPT = `const fare = eval('(n) => {\\n  const base = 10;\\n  return base * n;\\n}');
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => console.log(fare(Number(line))));
console.log('ready');
`;
const [python] = pythons().slice(-1);

interface Evaluating {
  name: string;
  command: string[] | undefined;
  /** What the given text and the evaluated one go by, and the line of the latter that is marked. */
  given: string;
  evaluated: RegExp;
}

const programs: Evaluating[] = [
  {
    name: `Python ${python?.version}`,
    command: python && [python.path, '-c', PYTHON],
    given: '-c',
    evaluated: /^ {2}(s\d+) +<string> +fare\(\) · its text is not to be had$/m,
  },
  {
    name: 'Ruby',
    command: rubyHas('fiddle') ? ['ruby', '-e', RUBY] : undefined,
    given: '-e',
    evaluated: /^ {2}(s\d+) +\(eval[^)]*\) +fare\(\) · its text is not to be had$/m,
  },
  {
    name: 'Node',
    command: [NODE, '-e', JAVASCRIPT],
    given: '[eval]',
    evaluated: /^ {2}(s\d+) +script \d+ +\(n\) => \{$/m,
  },
];

describe.each(programs)('sources of $name', ({ command, given, evaluated }) => {
  (command && mayTrace() ? it : it.skip)(
    'lists code without a file, shows it, and takes marks in it by number',
    async () => {
      const [program = '', ...args] = command ?? [];
      const running = new LineProgram(makeFolder({}), program, args, { env: process.env });
      await running.line('ready');
      const attach = (input: string) =>
        runAmber(['attach', '--yes', `${running.pid}`], { cwd: running.folder, input });
      const listed = (await attach('sources\ndetach\n')).stdout;
      expect(listed).toContain('Without a file');
      const number = evaluated.exec(listed)?.[1] ?? '';
      const whole =
        new RegExp(`^ {2}(s\\d+) +${given.replace(/[[\]]/g, '\\$&')} `, 'm').exec(listed)?.[1] ?? '';
      expect([number, whole]).not.toContain('');

      const amber = startAmber(['attach', '--yes', `${running.pid}`], { cwd: running.folder });
      amber.type(`source ${whole}:1\nbreak ${number}:3 when n == 4\nsources *.nothing\nsource s99\n`);
      expect(await amber.shows('there is no code without a file of the number s99')).toContain('nothing');
      expect(amber.stdout).toMatch(/mark 1 at .*:3 is on \(/);
      expect(amber.stdout).toMatch(/^ +2 │ .*(exec|eval|names|stdout|readline)/m);
      running.say('3');
      running.say('4');
      await amber.shows(/● mark 1 · .*:3/);
      amber.type('= base\ndetach\n');
      expect((await amber.ended).stdout).toMatch(/^10 /m);
      expect(await running.line('40')).toBe('40');
    },
  );
});

(phpHas('cli') ? it : it.skip)(
  'sources of a PHP request are the files that it has included so far',
  async () => {
    const folder = makeFolder({
      'desk.php': "<?php\nrequire __DIR__ . '/fares.php';\n$due = fare(4);\necho $due;\n",
      'fares.php': '<?php\nfunction fare($n) {\n  return $n * 10;\n}\n',
    });
    const commands = 'break desk.php:3\nresume\nwait 60\nsources\nresume\n';
    const { stdout } = await runAmber(
      ['launch', '--commands', `${makeFolder({ commands })}/commands`, '--', 'php', 'desk.php'],
      { cwd: folder },
    );
    expect(stdout).toMatch(/^Project\n {2}desk\.php\n {2}fares\.php$/m);
  },
);
