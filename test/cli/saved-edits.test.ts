import { renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { pythons } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';
import { mayTrace } from '../support/tracing.js';

useRunFolder();
afterEach(endPrograms);

const PYTHON = `import sys
def fare(count):
    base = 10
    return base * count
def quote(count):
    total = fare(count)
    return total
print('ready', flush=True)
for line in sys.stdin:
    print(quote(int(line)), flush=True)
`;
const RUBY = `def fare(count)
  base = 10
  base * count
end
def quote(count)
  total = fare(count)
  total
end
$stdout.sync = true
puts 'ready'
while (line = $stdin.gets)
  puts quote(line.to_i)
end
`;
const JAVASCRIPT = `function fare(count) {
  const base = 10;
  return base * count;
}
function quote(count) {
  const total = fare(count);
  return total;
}
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => console.log(quote(Number(line))));
console.log('ready');
`;
const [python] = pythons().slice(-1);
const programs: [string, string, string, string | undefined][] = [
  ['Python', 'desk.py', PYTHON, python?.path],
  ['Ruby', 'desk.rb', RUBY, rubyHas('fiddle') ? 'ruby' : undefined],
  ['Node', 'desk.js', JAVASCRIPT, NODE],
];

describe.each(programs)('a fix while it runs, in %s', (_, file, source, command) => {
  const isHere = command !== undefined && mayTrace();

  (isHere ? it : it.skip)('is taken over when it is saved, and watches are computed anew', async () => {
    const folder = makeFolder({ [file]: source });
    const program = new LineProgram(folder, command as string, [file], { env: process.env });
    await program.line('ready');
    const amber = startAmber(['attach', '--yes', `${program.pid}`], { cwd: folder });
    amber.type(`break ${file}:7\n`);
    await amber.shows(/mark 1 at .* is on/);
    program.say('2');
    amber.type('wait 60\nwatch fare(3)\n');
    await amber.shows(/watch 1 {2}fare\(3\) {2}30/);
    const save = (text: string) => {
      // As editors do it.
      writeFileSync(join(folder, 'new'), text);
      renameSync(join(folder, 'new'), join(folder, file));
    };
    save(source.replace('base = 10', 'base = 7'));
    await amber.shows(/was saved: .*on disk now; calls under way end as they began/);
    await amber.shows(/watch 1 {2}fare\(3\) {2}21/);
    save(source.replace('base = 10', 'base = = 7'));
    await amber.shows(/was saved, and is not taken over: /);
    amber.type('drop 1\nresume\n');
    // The call that was under way had its fare already.
    expect(await program.line('20')).toBe('20');
    expect(await program.ask('2')).toBe('14');
    amber.type('detach\n');
    expect((await amber.ended).code).toBe(0);
    expect(await program.ask('3')).toBe('21');
  });
});
