import { existsSync, readdirSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readDescription } from '../../../src/targets/description.js';
import {
  Attached,
  attachTo,
  freePort,
  sessionOnPort,
  useRunFolder,
  whereIs,
} from '../../../test/support/attached.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';
import { targetsHere } from '../../list.js';

/** Answers each line with `work` of its number. */
const LOOP = `$stdout.sync = true
def work(n)
  twice = n * 2
  twice + 1
end
puts 'ready'
while (line = gets)
  puts work(line.to_i)
end
`;

/** Waits for something that comes about by itself. */
async function comes(isTrue: () => boolean): Promise<void> {
  for (let tries = 0; tries < 4000 && !isTrue(); tries += 1) {
    await new Promise((done) => setTimeout(done, 5));
  }
  expect(isTrue()).toBe(true);
}

describeRuby('a Ruby program’s life', ['erb', 'timeout'], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  async function start(...args: ConstructorParameters<typeof RubyProgram>): Promise<RubyProgram> {
    const program = new RubyProgram(...args);
    await program.line('ready');
    return program;
  }

  it('is lent nothing for good: threads, handles and hooks are as before', async () => {
    const program = await start(LOOP);
    const handles = () => readdirSync(`/proc/${program.pid}/fd`).length;
    const threads = () => readdirSync(`/proc/${program.pid}/task`).length;
    const before = [threads(), handles()];
    for (let round = 0; round < 30; round += 1) {
      const attached = await program.attach(runFolder());
      await attached.mark(program.file, 3, 'n == 1000');
      expect(await program.ask('7')).toBe('15');
      await attached.session.detach();
    }
    // The last serving thread ends a moment after its client; the interpreter keeps its thread for a while.
    await comes(() => handles() <= (before[1] ?? 0));
    expect(await program.ask('7')).toBe('15');
    expect(program.stderr).toBe('');
  });

  it('binds a mark in a file when it is loaded, and tells', async () => {
    const program = await start("$stdout.sync = true\nputs 'ready'\ngets\nrequire './later'\nputs f(2)\n", {
      'later.rb': 'X = 1\n\ndef f(n)\n  n + X\nend\n',
    });
    const attached = await program.attach(runFolder());
    const later = join(program.folder, 'later.rb');
    const mark = await attached.mark(later, 4, 'n == 2');
    const top = await attached.mark(later, 1);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: 'the file is not loaded yet',
    });
    program.say('go');
    const first = await attached.stop();
    expect(await whereIs(first)).toBe('<top (required)>:1');
    await first.resume();
    const second = await attached.stop();
    expect(await whereIs(second)).toBe('f:4');
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', hits: 1 });
    expect(attached.sync.status(top)).toMatchObject({ state: 'on', line: 1 });
    await second.resume();
    expect(await program.line('3')).toBe('3');
  });

  it('finds a method by its name once it is defined', async () => {
    const program = await start(
      "$stdout.sync = true\nputs 'ready'\ngets\nrequire './later'\nputs 'loaded'\nwhile gets\n  puts Tide.new.level(2)\nend\n",
      {
        'later.rb': 'class Tide\n  def level(n)\n    n * 3\n  end\nend\n',
      },
    );
    const attached = await program.attach(runFolder());
    const mark = attached.store.add({ place: { kind: 'function', name: 'Tide#level' } });
    await attached.sync.send(mark);
    expect(attached.sync.status(mark).state).toBe('waiting');
    const bound = new Promise((done) =>
      attached.session.on('breakpoint', (body) => body.verified && done(body)),
    );
    expect(await program.ask('go')).toBe('loaded');
    await bound;
    program.say('again');
    expect(await whereIs(await attached.stop())).toBe('Tide#level:3');
  });

  it('refuses to guess when the file is not the code that runs, and minds no mere touch', async () => {
    const program = await start(LOOP);
    const later = new Date(Date.now() + 5000);
    utimesSync(program.file, later, later);
    const attached = await program.attach(runFolder());
    const same = await attached.mark(program.file, 3);
    expect(attached.sync.status(same).state).toBe('on');
    await attached.session.detach();
    writeFileSync(program.file, `# one more line\n${LOOP}`);
    utimesSync(program.file, later, later);
    const again = await program.attach(runFolder());
    const mark = await again.mark(program.file, 3);
    expect(again.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: 'the file on disk is not the code that is running',
    });
  });

  it('is reached in a loop that is running already', async () => {
    const program = await start(
      "$stdout.sync = true\nThread.new do\n  n = 0\n  loop do\n    n += 1\n    sleep 0.001\n  end\nend\nputs 'ready'\ngets\n",
    );
    const attached = await program.attach(runFolder());
    await attached.mark(program.file, 5, 'n % 3 == 0');
    for (let times = 0; times < 2; times += 1) {
      const stop = await attached.stop();
      expect((await stop.evaluate('n % 3', undefined, 'watch')).text).toBe('0');
      await stop.resume();
    }
  });

  it('is stopped before its first line when it is launched', async () => {
    const claim = join(runFolder(), 'launch-ruby');
    writeFileSync(`${claim}.json`, JSON.stringify({ launcher: process.pid }));
    const program = new RubyProgram(
      'a = 1\ndef f(n)\n  n * 2\nend\nputs f(a + 3)\n',
      {},
      {
        args: ['app.rb'],
        env: { AMBER_LAUNCH: claim },
      },
    );
    await comes(() => existsSync(claim) && readDescription(runFolder(), program.pid) !== undefined);
    const attached = await attachTo(program.description(runFolder()), { stopOnEntry: true });
    const entry = await attached.stop();
    expect(entry.event.reason).toBe('entry');
    expect(await whereIs(entry)).toBe('<main>:1');
    const inside = await attached.mark(program.file, 3);
    expect(attached.sync.status(inside).state).toBe('on');
    await entry.resume();
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('f:3');
    await stop.resume();
    expect(await program.line('8')).toBe('8');
    expect(await program.exited).toBe(0);
  });

  it('gives each forked worker an endpoint of its own, without the parent’s marks', async () => {
    const program = await start(`${LOOP.split("puts 'ready'")[0]}
puts 'ready'
gets
child = fork do
  puts "child #{Process.pid}"
  puts "result #{work(gets.to_i)}"
end
Process.wait(child)
puts "parent #{work(1)}"
`);
    const parent = await program.attach(runFolder());
    await parent.mark(program.file, 3, 'n == 41');
    program.say('fork');
    const child = Number((await program.line('child')).split(' ')[1]);
    const attached = await program.attach(runFolder(), {}, child);
    await attached.mark(program.file, 3, 'n == 41');
    program.say('41');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('work:3');
    await stop.resume();
    expect(await program.line('result')).toBe('result 83');
    expect(await program.line('parent')).toBe('parent 3');
    expect(parent.stops).toEqual([]);
    expect(program.stderr).toBe('');
  });

  it('is found again after it has become a daemon', async () => {
    const program = await start(
      "$stdout.sync = true\nputs 'ready'\ngets\nProcess.daemon(true, true)\nputs \"daemon #{Process.pid}\"\ndef f = (n = 1\n  n + 1)\nuntil File.exist?('stop')\n  f\n  sleep 0.001\nend\n",
    );
    program.say('go');
    const pid = Number((await program.line('daemon')).split(' ')[1]);
    const attached = await program.attach(runFolder(), {}, pid);
    await attached.mark(program.file, 9);
    expect(await whereIs(await attached.stop())).toBe('<main>:9');
    writeFileSync(join(program.folder, 'stop'), '');
    await attached.session.detach();
    await comes(() => !existsSync(`/proc/${pid}`));
  });

  it('keeps what it has hooked itself: trace functions, TracePoints, at_exit, timeouts', async () => {
    const program = await start(`$stdout.sync = true
require 'timeout'
traced = 0
set_trace_func(proc { |event, *| traced += 1 if event == 'call' })
lines = 0
TracePoint.new(:line) { lines += 1 }.enable
at_exit { puts "bye #{traced} #{lines.positive?}" }
def work(n)
  n + 1
end
def spin
  n = 0
  loop do
    n = work(n)
  end
end
puts 'ready'
gets
3.times { |n| work(n) }
begin
  Timeout.timeout(0.2) { spin }
rescue Timeout::Error
  puts 'in time'
end
`);
    const attached = await program.attach(runFolder());
    await attached.mark(program.file, program.lineOf('n + 1'), 'n < 0');
    await attached.mark(program.file, program.lineOf('n = work(n)'), 'n.nothing');
    program.say('go');
    expect(await program.line('in time')).toBe('in time');
    expect(await program.line('bye')).toMatch(/^bye \d+ true$/);
    expect(await program.exited).toBe(0);
    expect(program.stderr).toBe('');
  });

  it('runs a Ractor of its own', async () => {
    const program = await start(
      "$stdout.sync = true\nputs 'ready'\ngets\nr = Ractor.new(4) do |n|\n  m = n * 2\n  m + eval('1')\nend\nputs r.take\n",
      {},
      { args: ['-W:no-experimental', 'app.rb'] },
    );
    const attached = await program.attach(runFolder());
    await attached.mark(program.file, 5, 'n < 0');
    program.say('go');
    expect(await program.line('9')).toBe('9');
    expect(await program.exited).toBe(0);
  });

  it('asks for a stop by itself, and is not stopped when nobody is there', async () => {
    const source = LOOP.replace(
      '  twice + 1',
      '  AmberAgent.stop if defined?(AmberAgent) && n == 5\n  twice + 1',
    );
    const program = await start(source);
    expect(await program.ask('5')).toBe('11');
    const attached = await program.attach(runFolder());
    program.say('5');
    const stop = await attached.stop();
    expect(stop.event.reason).toBe('pause');
    expect(await whereIs(stop)).toBe('work:4');
    await stop.resume();
    expect(await program.line('11', 2)).toBe('11');
    const plain = new RubyProgram(source, {}, { env: { RUBYOPT: '' } });
    await plain.line('ready');
    expect(await plain.ask('5')).toBe('11');
  });

  it('comes in by one line of a program that was not started through amber run', async () => {
    const agent = join(__dirname, '..', 'agent', 'amber_agent');
    const program = await start(
      `require ${JSON.stringify(agent)}; AmberAgent.ready\nrequire './part'\n`,
      {
        'part.rb':
          'def work(n)\n  n + 1\nend\n$stdout.sync = true\nputs "ready"\nwhile (line = gets)\n  puts work(line.to_i)\nend\n',
      },
      { env: { RUBYOPT: '' } },
    );
    const attached = await program.attach(runFolder());
    await attached.mark(join(program.folder, 'part.rb'), 2);
    program.say('5');
    expect((await (await attached.stop()).evaluate('n', undefined, 'watch')).text).toBe('5');
  });

  it('goes on when the client vanishes, and when a hook of ours fails', async () => {
    const program = await start(LOOP);
    const attached = await program.attach(runFolder());
    await attached.mark(program.file, 3);
    program.say('1');
    const stop = await attached.stop();
    // From inside the program, the agent's own marks are broken.
    await stop.evaluate(
      'ObjectSpace.each_object(AmberAgent::Mark) { |m| m.instance_variable_set(:@hits, nil) }',
      undefined,
      'repl',
    );
    await stop.resume();
    expect(await program.line('3')).toBe('3');
    const told = new Promise((done) => attached.session.once('output', done));
    expect(await program.ask('2')).toBe('5');
    expect(await told).toMatchObject({
      text: expect.stringContaining('amber agent: a mark failed (NoMethodError'),
    });
    await attached.session.detach();
    const again = await program.attach(runFolder());
    await again.mark(program.file, 3);
    program.say('3');
    await again.stop();
    again.session.client.close();
    expect(await program.line('7')).toBe('7');
    expect(program.stderr).toBe('');
  });

  it('is ended by a Ctrl-C of its own terminal while it is paused', async () => {
    const program = await start(LOOP);
    const attached = await program.attach(runFolder());
    await attached.mark(program.file, 3);
    program.say('1');
    await attached.stop();
    const ended = new Promise((done) => attached.session.once('ended', done));
    program.child.kill('SIGINT');
    await program.exited;
    expect(program.stderr).toContain('Interrupt');
    await ended;
  });

  it('listens on TCP only with a token, and only for those who have it', async () => {
    const without = new RubyProgram('sleep 0.3\n', {}, { env: { AMBER_LISTEN: '127.0.0.1:0' } });
    await without.exited;
    expect(without.stderr).toContain('AMBER_LISTEN needs AMBER_TOKEN');
    const port = await freePort();
    await start(LOOP, {}, { env: { AMBER_LISTEN: `127.0.0.1:${port}`, AMBER_TOKEN: 'skerrow' } });
    const wrong = await sessionOnPort(port, 'holm');
    await expect(wrong.open(async () => undefined)).rejects.toThrow('the token is missing or wrong');
    const right = await sessionOnPort(port, 'skerrow');
    await right.open(async () => undefined);
    expect(await new Attached(right).session.threads()).toHaveLength(1);
    await right.detach();
  });

  it('is not found any more after an exec into something else, whose pid is the same', async () => {
    const program = await start("$stdout.sync = true\nputs 'ready'\ngets\nexec 'sleep', '30'\n");
    const found = () => targetsHere(process.env).find(({ pid }) => pid === program.pid);
    expect(found()).toMatchObject({ state: 'free', runtime: 'ruby' });
    program.say('go');
    await comes(() => found()?.state !== 'free');
    expect(program.child.exitCode).toBeNull();
  });

  it('tells a second client who is attached', async () => {
    const program = await start(LOOP);
    const first = await program.attach(runFolder());
    await expect(program.attach(runFolder())).rejects.toThrow(
      `already attached: process ${process.pid} has this target`,
    );
    await first.session.detach();
  });
});
