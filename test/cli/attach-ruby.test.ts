import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { targetsHere } from '../../runtimes/list.js';
import { type Amber, recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { describeRuby } from '../support/ruby.js';

const TIDES = resolve(__dirname, '..', '..', 'demo', 'tides');

describeRuby('the demo’s tides (Ruby) in the prompt', ['json', 'time'], () => {
  useRunFolder();
  let service: Amber;
  let url: string;
  const ask = async (query: string) => {
    const response = await fetch(`${url}/sailings?${query}`, { headers: { Connection: 'close' } });
    return ((await response.json()) as { sailings: { leaves: string }[] }).sailings.map(
      ({ leaves }) => leaves,
    );
  };
  const LATE = 'from=Skerrow&to=Holm&on=2026-05-02';
  const LATE_ANSWER = ['2026-05-01 21:30', '2026-05-02 10:00', '2026-05-02 13:45'];

  beforeEach(async () => {
    service = startAmber(['run', '--', 'ruby', '-w', 'serve.rb'], { cwd: TIDES });
    url = /http:\S+/.exec(await service.shows(/http:\S+\n/))?.[0] ?? '';
  });
  afterEach(async () => {
    service.child.kill('SIGTERM');
    await service.ended;
    expect(service.stderr).toBe('');
  });

  it('finds why the last sailing is listed under the next day', async () => {
    expect(await ask(LATE)).toEqual(LATE_ANSWER);
    const amber = startAmber(['attach', 'ruby'], { cwd: TIDES });
    const from = `break Sailings.day_of when sailing.leaves.day == 1 && sailing.arrives.day == 2\n`;
    amber.type(`${from}send ${url}/sailings?${LATE}\nwait 60\n`);
    await amber.shows(/● mark 1 · sailings\.rb:\d+ in Sailings\.day_of · thread \d+ · tides/);
    amber.type(
      '= sailing.leaves.to_date\n= sailing.arrives.to_date\nstack\nout\nresume\nwait response 60\nmarks\ndetach\n',
    );
    const { stdout, code } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/2026-05-01 {2}Date\n[\s\S]*2026-05-02 {2}Date\n/);
    expect(stdout).toMatch(
      /▸ {2}0 {2}Sailings\.day_of[\s\S]* 1 {2}block in Sailings\.allowed[\s\S]*1 foreign frame/,
    );
    expect(stdout).toMatch(/● step · sailings\.rb:\d+ in block in Sailings\.allowed/);
    expect(stdout).toMatch(/1 +break +on +(?:spliced|engine) +1 +Sailings\.day_of/);
    expect(await ask(LATE)).toEqual(LATE_ANSWER);
  });

  it('finds the error that is swallowed, with its values', async () => {
    const amber = startAmber(['attach', 'ruby'], { cwd: TIDES });
    amber.type(`break error\nsend ${url}/sailings?from=Skerrow&to=Tarrin&on=2026-05-03\nwait 60\n`);
    const card = await amber.shows('● error ArgumentError · sailings.rb');
    expect(card).toMatch(/in Harbour#water_at/);
    amber.type(
      '= [before, after].map(&:metres)\nframe 2\nvars\nresume\nwait 60\nresume\nwait response 60\ndetach\n',
    );
    const { stdout } = await amber.ended;
    expect(stdout).toContain('invalid value for Float(): "1.2m"');
    expect(stdout).toMatch(/"1\.2m"\]? +Array|"1\.2m", /);
    expect(stdout).toContain('in ▸');
  });

  it('answers within 2 seconds when amber is killed while it is paused, and is free again', async () => {
    const amber = startAmber(['attach', 'ruby'], { cwd: TIDES });
    amber.type('break Sailings.day_of\n');
    await amber.shows('is on');
    const answer = ask(LATE);
    await amber.shows('● mark 1');
    const killed = performance.now();
    amber.child.kill('SIGKILL');
    expect(await answer).toEqual(LATE_ANSWER);
    if (!process.env.CI) {
      expect(performance.now() - killed).toBeLessThan(2_000);
    }
    expect(await ask(LATE)).toEqual(LATE_ANSWER);
    let free = false;
    while (!free) {
      await new Promise(setImmediate);
      free = targetsHere(process.env).some(({ runtime, state }) => runtime === 'ruby' && state === 'free');
    }
  });

  it('is a target with records for programs, and says what is wrong with what is asked', async () => {
    const input =
      'break sailings.rb:400\nbreak sailings.rb:2 when 1 +\nbreak nowhere.rb:1\nlog sailings.rb:73 "{sailing.boat}"\nmarks\n= 1\n';
    const { stdout } = await runAmber(['attach', 'ruby', '--json'], { cwd: TIDES, input });
    const records = recordsOf(stdout);
    const messages = records.flatMap((record) => (record.kind === 'error' ? [record.message] : []));
    expect(messages.join('\n')).toMatch(/not an expression of Ruby: unexpected/);
    const marks = records.flatMap((record) => (record.kind === 'marks' ? record.marks : []));
    expect(marks.map(({ state, note }) => [state, note])).toContainEqual([
      'waiting',
      'there is no code at or after this line',
    ]);
    expect(marks.at(-1)).toMatchObject({ kind: 'log', state: 'on' });
  });

  it('is stopped before its first line by amber launch', async () => {
    const commands = join(mkdtempSync(join(tmpdir(), 'amber-test-')), 'commands');
    writeFileSync(commands, 'over\nover\n= $PROGRAM_NAME\nmarks\nresume\n');
    const launched = startAmber(['launch', '--commands', commands, '--', 'ruby', 'serve.rb', '0'], {
      cwd: TIDES,
    });
    const shown = await launched.shows(/tides listens on/);
    expect(shown).toMatch(
      /● before the first line · serve\.rb:4 in <main>[\s\S]*● step · serve\.rb:5[\s\S]*● step · serve\.rb:7/,
    );
    launched.child.kill('SIGTERM');
    await launched.ended;
  });
});
