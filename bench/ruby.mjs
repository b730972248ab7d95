// Ruby programs to time, and the rows that they give.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { attach, inTurn, setMarks, start } from './programs.mjs';

const timed = (body) => `$stdout.sync = true
${body}
puts 'ready'
while (line = gets)
  what = line.chomp == 'hand' ? :by_hand : :work
  began = Process.clock_gettime(Process::CLOCK_MONOTONIC)
  send(what)
  puts Process.clock_gettime(Process::CLOCK_MONOTONIC) - began
end
`;

/** Calls, attributes and small containers: what a tracer would slow down most. */
const CALLS = timed(`
class Leg
  def initialize(miles)
    @miles = miles
  end
  def price(rate) = @miles * rate
end
def add(a, b)
  a + b
end
def unused
  1
end
def work
  total = 0
  120000.times { |n| total = add(total, Leg.new(n).price(2)) }
  total
end
`);

/** A hot line: a million passes. HAND is a hand-written condition, or nothing. */
const PASSES = 1_000_000;
const hotLoop = timed(`
LEAST = 0
def least = 0
def hit; end
def work
  total = 0
  n = 0
  while n < ${PASSES}
    total += n
    n += 1
  end
  total
end
def by_hand
  total = 0
  n = 0
  while n < ${PASSES}
    hit if n < 0
    total += n
    n += 1
  end
  total
end
`);

/** Ten thousand calls; HAND is a hand-written write, or nothing. */
const tellingLoop = (hand) =>
  timed(`
$stderr.sync = true
def tell(n)
  name = "trip #{n & 15}"
  ${hand}
  name.size
end
def work
  total = 0
  10000.times { |n| total += tell(n) }
  total
end
`);

const ratio = (one, other) => `${(one / other).toFixed(2)}x`;
const lineIn = (source, text) => source.split('\n').indexOf(text) + 1;

async function startTimed(flags, source, withAgent, stderr = 'inherit') {
  const folder = mkdtempSync(join(tmpdir(), 'amber-bench-'));
  const file = join(folder, 'program.rb');
  writeFileSync(file, source);
  return await start('ruby', [...flags, file], folder, withAgent, file, stderr);
}

/** The Rubies to measure: [name, flags]; none where there is no Ruby. */
export function rubies() {
  const version = spawnSync('ruby', ['-e', 'print RUBY_VERSION[/\\d+\\.\\d+/]'], { encoding: 'utf8' }).stdout;
  if (!version) return [];
  const plain = [`ruby ${version}`, []];
  const hasYjit = spawnSync('ruby', ['--yjit', '-e', '1']).status === 0;
  return hasYjit ? [plain, [`ruby ${version} YJIT`, ['--yjit']]] : [plain];
}

async function callHeavy(row, rounds, runtime, flags) {
  const programs = [];
  for (const withAgent of [false, true, true]) programs.push(await startTimed(flags, CALLS, withAgent));
  const [, , marked] = programs;
  const session = await attach(marked.pid, [{ path: marked.file, line: lineIn(CALLS, '  1') }]);
  const runs = programs.map((program) => program.run);
  const [bare, dormant, attached] = await inTurn(runs, rounds);
  row('dormant agent, call-heavy program', runtime, ratio(dormant, bare), '1.0x');
  row('attached, a mark in code that is not run, call-heavy program', runtime, ratio(attached, bare), '1.0x');
  await session.detach();
  const [again, , after] = await inTurn(runs, rounds);
  row('after detach, call-heavy program', runtime, ratio(after, again), '1.0x');
  for (const program of programs) program.stop();
}

/** One method in one process, with one mark after the other; `bare` is that method while nothing is marked. */
async function hotCondition(row, rounds, runtime, flags) {
  const program = await startTimed(flags, hotLoop, true);
  const session = await attach(program.pid, []);
  const hot = lineIn(hotLoop, '    total += n');
  const marked = (line, mark) => async () => {
    await setMarks(session, program.file, [{ line, ...mark }]);
    const seconds = await program.run();
    await setMarks(session, program.file, []);
    return seconds;
  };
  const [bare, hand, simple, constant, own, frame, inMethod, counter] = await inTurn(
    [
      program.run,
      () => program.run('hand'),
      marked(hot, { condition: 'n < 0' }),
      marked(hot, { condition: 'n < LEAST' }),
      marked(hot, { condition: 'n < least' }),
      marked(lineIn(hotLoop, '  total'), { condition: 'total < 0' }),
      marked(lineIn(hotLoop, 'def hit; end') + 2, { condition: 'false' }),
      marked(hot, { amber: { kind: 'count', values: [] } }),
    ],
    rounds,
  );
  const more = (seconds) => `${(((seconds - bare) / PASSES) * 1e6).toFixed(2)} µs`;
  row('condition never true, a line run a million times: a pass, over bare', runtime, more(simple), '0.5 µs');
  row('the same with a constant in it', runtime, more(constant));
  row('the same with a call of the object’s own method', runtime, more(own));
  row('the same, to a hand-written if', runtime, ratio(simple, hand), '1.5x');
  row('counter, a line run a million times: a pass, over bare', runtime, more(counter));
  row(
    'a mark elsewhere in the same method, to bare',
    runtime,
    ratio(Math.min(frame, inMethod), bare),
    '1.05x',
  );
  await session.detach();
  program.stop();
}

async function telling(row, rounds, runtime, flags) {
  const silent = await startTimed(flags, tellingLoop(''), false);
  const written = await startTimed(
    flags,
    tellingLoop('$stderr.write("#{name} number #{n}\\n")'),
    false,
    'pipe',
  );
  const told = await startTimed(flags, tellingLoop(''), true);
  const values = ['name', 'n'];
  const session = await attach(told.pid, [
    {
      path: told.file,
      line: lineIn(tellingLoop(''), '  name.size'),
      logMessage: '{name} number {n}',
      amber: { kind: 'log', values },
    },
  ]);
  // A second between the rounds, so that the limit of a mark leaves nothing out.
  const slowly = async () => {
    await new Promise((done) => setTimeout(done, 1_100));
    return await told.run();
  };
  const [a, b, c] = await inTurn([silent.run, written.run, slowly], rounds);
  row(
    'logpoint with two values, 10,000 times, to a write of the same text to a pipe',
    runtime,
    ratio(c, b),
    '0.35x',
  );
  const one = (seconds) => `${(((seconds - a) / 10_000) * 1e6).toFixed(2)} µs`;
  row('one hit of it', runtime, `${one(c)} (a write: ${one(b)})`);
  await session.detach();
  for (const program of [silent, written, told]) program.stop();
}

async function requestLoop(row, rounds, runtime, flags, folder) {
  const services = [];
  for (const withAgent of [false, true, true])
    services.push(await start('ruby', [...flags, 'serve.rb'], folder, withAgent));
  const path = join(folder, 'handlers.rb');
  const line =
    readFileSync(path, 'utf8')
      .split('\n')
      .findIndex((text) => text.includes('is not a day')) + 1;
  const session = await attach(services[2].pid, [{ path, line }]);
  const loop =
    ({ first }) =>
    async () => {
      const url = `${/http:\S+/.exec(first)[0]}/sailings?from=Skerrow&to=Holm&on=2026-05-02`;
      const began = performance.now();
      for (let count = 0; count < 400; count += 1) await (await fetch(url)).arrayBuffer();
      return (performance.now() - began) / 1000;
    };
  const [a, b, c] = await inTurn(services.map(loop), rounds);
  row('dormant agent, request loop of the demo', runtime, ratio(b, a), '1.0x');
  row('attached, a mark in code that is not run, request loop of the demo', runtime, ratio(c, a), '1.0x');
  await session.detach();
  for (const service of services) service.stop();
}

/** All rows of one Ruby. `extra` are those that every language with an agent has in common. */
export async function rubyRows(row, rounds, [runtime, flags], folder, extra) {
  await callHeavy(row, rounds, runtime, flags);
  await hotCondition(row, rounds, runtime, flags);
  await telling(row, rounds, runtime, flags);
  await requestLoop(row, rounds, runtime, flags, folder);
  if (flags.length > 0) return;
  const told = await startTimed(flags, tellingLoop(''), true);
  const line = lineIn(tellingLoop(''), '  name.size');
  await extra.flood(runtime, told, `program.rb:${line} "{name} number {n}"`);
  await extra.hitAndStep(runtime, await startTimed(flags, CALLS, true), lineIn(CALLS, '  total = 0'));
}
