import { readdirSync, readFileSync } from 'node:fs';
import { listeningPorts } from '../../src/targets/linux.js';
import { childrenOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { makeFolder } from '../support/program.js';
import { rubyHas } from '../support/ruby.js';

useRunFolder();

/** By language a program that closes every descriptor but its streams when it is told to, as one that makes itself a daemon. */
const PROGRAMS: Record<string, { command: string[]; source: string; line: number }> = {
  python: {
    command: ['python3', 'app.py'],
    line: 4,
    source: `import os, sys
def work(n):
    twice = n * 2
    return twice
print('ready', flush=True)
for line in sys.stdin:
    if line == 'close\\n':
        os.closerange(3, 512)
    print(line.strip(), work(len(line)), flush=True)
`,
  },
  ruby: {
    command: ['ruby', 'app.rb'],
    line: 3,
    source: `def work(n)
  twice = n * 2
  twice
end
puts 'ready'
STDOUT.flush
while (line = STDIN.gets)
  if line == "close\\n"
    (3..512).each do |number|
      IO.for_fd(number).close
    rescue SystemCallError, ArgumentError, IOError
      next
    end
  end
  puts "#{line.strip} #{work(line.size)}"
  STDOUT.flush
end
`,
  },
};

/** Seconds of computing that a process has had (proc_pid_stat(5), 14 and 15, in ticks of 10 ms). */
const computed = (pid: number) => {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]?.split(' ') ?? [];
  return (Number(fields[11]) + Number(fields[12])) / 100;
};

const isThere = (language: string) => language !== 'ruby' || rubyHas('socket');

it.each(Object.keys(PROGRAMS).filter(isThere))(
  'a %s program that closes all descriptors sees nothing of ours, and can be attached to again',
  async (language) => {
    const { command, source, line } = PROGRAMS[language] ?? { command: [], source: '', line: 0 };
    const file = command[1] ?? '';
    const folder = makeFolder({ [file]: source });
    const program = startAmber(['run', '--', ...command], { cwd: folder });
    await program.shows('ready');
    const amber = startAmber(['attach', language], { cwd: folder });
    amber.type(`log ${file}:${line} "{n}"\n`);
    await amber.shows(/mark 1 .* is on/);
    program.type('close\n');
    await program.shows('close 12');
    await amber.shows('was lost; it goes on without marks');
    await amber.ended;
    program.type('on\n');
    await program.shows('on 6');
    const again = await runAmber(['attach', language], { cwd: folder, input: 'detach\n' });
    expect(again.stdout).toContain('it goes on without marks');
    expect(again.code).toBe(0);
    program.type('off\n');
    await program.shows('off 8');
    program.child.stdin?.end();
    const { stdout, stderr, code } = await program.ended;
    expect(stdout + stderr).toBe('ready\nclose 12\non 6\noff 8\n');
    expect(code).toBe(0);
  },
);

it.each(Object.keys(PROGRAMS).filter(isThere))(
  'a %s program that closes a port of ours is left alone from then on',
  async (language) => {
    const { command, source } = PROGRAMS[language] ?? { command: [], source: '' };
    const folder = makeFolder({ [command[1] ?? '']: source });
    const env = { AMBER_LISTEN: '127.0.0.1:0', AMBER_TOKEN: 'skerrow' };
    const program = startAmber(['run', '--', ...command], { cwd: folder, env });
    await program.shows('ready');
    const [pid] = childrenOf(program.child.pid);
    while (listeningPorts(pid ?? 0).length === 0) {
      await new Promise((done) => setTimeout(done, 20));
    }
    const threads = () => readdirSync(`/proc/${pid}/task`).length;
    const before = threads();
    program.type('close\n');
    await program.shows('close 12');
    // The agent's thread goes, rather than asking again and again.
    while (threads() >= before && before > 1) {
      await new Promise((done) => setTimeout(done, 20));
    }
    expect(computed(pid ?? 0)).toBeLessThan(5);
    program.child.stdin?.end();
    const { stdout, stderr } = await program.ended;
    expect(stdout + stderr).toBe('ready\nclose 12\n');
  },
);
