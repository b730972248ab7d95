import { attachTo, useRunFolder } from '../../../test/support/attached.js';
import { comeAndGo, HitCollector } from '../../../test/support/hits.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

/**
 * Eight threads that work without end (and wait between, as for a client; `rush` leaves that out); `pass N K` runs
 * K passes in each of eight more, told apart from theirs by the number N.
 */
const BUSY = `
import sys, threading, time
wrong = 0
stop = False
pause = 0.002

def work(n):
    a = n + 1
    b = a * 2
    c = b - n
    if c < n:
        c = -c
    d = [value + c for value in (1, 2, 3)]
    e = sum(d)
    f = e - 6
    g = f // 3
    h = g - 2
    return h

def check(n):
    global wrong
    if work(n) != n:
        wrong += 1

def run():
    while not stop:
        check(7)
        if pause:
            time.sleep(pause)

def passes(number, count):
    every = [threading.Thread(target=lambda: [check(number) for _ in range(count)]) for _ in range(8)]
    for thread in every:
        thread.start()
    for thread in every:
        thread.join()

ORIGINAL = work.__code__
threads = [threading.Thread(target=run) for _ in range(8)]
for thread in threads:
    thread.start()
print('ready', flush=True)
for line in sys.stdin:
    words = line.split()
    if words[0] == 'pass':
        passes(int(words[1]), int(words[2]))
        print('passed', flush=True)
    elif words[0] == 'rush':
        pause = 0
        print('rushing', flush=True)
    else:
        stop = True
        for thread in threads:
            thread.join()
        print('wrong', wrong, 'same', work.__code__ is ORIGINAL, flush=True)
`;
const FIRST = BUSY.split('\n').indexOf('    a = n + 1') + 1;
/** The lines of `work` that every pass runs: two marks have the last. */
const LINES = [0, 1, 2, 3, 5, 6, 7, 8, 9, 9].map((offset) => FIRST + offset);
/** How often; AMBER_ROUNDS=1000 takes some minutes. */
const ROUNDS = Number(process.env.AMBER_ROUNDS ?? 6);
/** How often besides while the eight threads leave nobody else any time. */
const RUSHED = 2;

describe.each(typicalPythons())(
  '10 marks that come and go under a load of 8 threads, on Python $version',
  ({ path }) => {
    const runFolder = useRunFolder();
    let program: Program;
    afterEach(() => program.end());

    it(`${ROUNDS} times each: every answer right, every pass counted, nothing left`, async () => {
      program = new Program(path, BUSY);
      await program.line('ready');
      const description = program.description(runFolder());
      const attached = await attachTo(description as NonNullable<typeof description>);
      const collector = new HitCollector(attached);
      await comeAndGo(collector, {
        file: program.file,
        lines: LINES,
        rounds: ROUNDS + RUSHED,
        equals: '==',
        pass: (number) => program.ask(`pass ${number} 2`),
        after: async (round) => round === ROUNDS && (await program.ask('rush')),
      });
      expect(await program.ask('end')).toBe('wrong 0 same True');
      await attached.session.detach();
    });
  },
);
