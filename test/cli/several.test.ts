import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { listeningPorts } from '../../src/targets/linux.js';
import { type Amber, startAmber } from '../support/amber.js';
import { freePort, useRunFolder } from '../support/attached.js';
import { lineOf, NodeProgram } from '../support/node.js';

useRunFolder();

const DEMO = resolve(__dirname, '..', '..', 'demo');
const source = (path: string) => readFileSync(resolve(DEMO, path), 'utf8');
const booking = (name: string) =>
  JSON.stringify({ name, from: 'Innish', to: 'Tarrin', passengers: { adult: 2 }, cabin: true });

describe('fares (Python) and desk (JavaScript) in one prompt', () => {
  let office: Amber;
  let pids: string[];
  let desk: string;
  let amber: Amber;

  beforeAll(async () => {
    office = startAmber(['demo', '--office']);
    const text = await office.shows('Ctrl-C ends the office');
    pids = ['fares', 'desk'].map((name) => new RegExp(`${name} .*process (\\d+)`).exec(text)?.[1] ?? '');
    desk = /desk .* listens on (\S+)/.exec(text)?.[1] ?? '';
  });
  afterAll(async () => {
    office.child.kill('SIGINT');
    await office.ended;
  });
  beforeEach(() => {
    amber = startAmber(['attach', ...pids], { cwd: DEMO });
  });
  afterEach(async () => {
    amber.child.stdin?.end();
    await amber.ended;
  });

  it('one booking stops in both; a stop in the other is told without taking over', async () => {
    const inFares = lineOf(source('fares/quotes.py'), 'single = single_fare(trip, kind)');
    const inDesk = lineOf(source('desk/bookings.js'), 'const price = await');
    amber.type(
      `target 2\nbreak quotes.py:${inFares}\nbreak bookings.js:${inDesk} when trip.name === 'Ada'\n`,
    );
    await amber.shows('mark 2 at desk/bookings.js');
    amber.type(`send ${desk}/bookings ${booking('Ada')}\nwait 60\nwatch trip.travellers\nresume\n`);
    expect(await amber.shows('● mark 2')).toMatch(/bookings\.js:\d+ in book · main · desk/);
    expect(await amber.shows('● also stopped: mark 1')).toMatch(
      /fares\/quotes\.py:\d+ in passenger_lines .*target 1/,
    );
    amber.type(
      'marks\ntargets\ntarget 1\nwatch kind\n= trip.start\nstack\ndrop 1\nresume\nwait response 10\n',
    );
    const text = await amber.shows('"cabin": "K01"');
    expect(text).toMatch(/in fares\n[\s\S]*in desk/);
    expect(text).toMatch(/ +1 +fares +python:\d+ +paused\n▸ +2 +desk +javascript:\d+ +running/);
    expect(text).toMatch(/watch 1 +kind +'adult'/);
    expect(text).toContain("'Innish'");
    expect(text).toMatch(/201 +\d+ ms/);
    amber.type('target 2\nwatches\ndetach\n');
    const { code, stdout } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/watch 1 +trip\.travellers/);
    expect(stdout).toMatch(/detached from fares.*\n?[\s\S]*detached from desk/);
  });

  it('finds the cabin that is given out twice, as the documented walk does', async () => {
    amber.type('target 2\nbreak takeCabin when takenFor(sailing).has(cabin)\n');
    await amber.shows('mark 1 at');
    // Several, so that some are under way at the same moment however busy the machine is.
    const names = ['Tove', 'Lars', 'Ada', 'Ines', 'Jon'];
    const sends = names.map((name) => `send ${desk}/bookings ${booking(name)}\n`);
    amber.type(`${sends.join('')}wait 60\n`);
    expect(await amber.shows('next ▸')).toMatch(/● mark 1 · desk\/cabins\.js:\d+ in takeCabin/);
    amber.type(
      '= takenFor(sailing).get(cabin) < bookingId\ncallers\ndrop all\nresume\nwait response 10\nwait response 10\nwait response 10\nwait response 10\nwait response 10\ndetach\n',
    );
    const { stdout, code } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/true +boolean/);
    expect(stdout).toMatch(/desk\/bookings\.js:\d+ in (async )?book/);
    const cabins = [...stdout.matchAll(/"cabin": "(\w+)"/g)].map(([, cabin]) => cabin);
    expect(cabins).toHaveLength(names.length);
    expect(new Set(cabins).size).toBeLessThan(names.length);
  });

  it('finds the name of blanks that is accepted, as the documented walk does', async () => {
    const line = lineOf(source('desk/bookings.js'), 'BLANK.test(name)');
    const blank = JSON.stringify({ name: '   ', from: 'Holm', to: 'Innish' });
    amber.type(`target 2\nwatch BLANK.lastIndex\nbreak bookings.js:${line} when !name.trim()\n`);
    await amber.shows('mark 1 at');
    amber.type(`send ${desk}/bookings ${blank}\nwait 60\nresume\nwait response 10\n`);
    expect(await amber.shows('◂ POST')).toMatch(/400/);
    amber.type(`send ${desk}/bookings ${blank}\nwait 60\nresume\nwait response 10\ndetach\n`);
    const { stdout } = await amber.ended;
    expect(stdout).toMatch(/watch 1 +BLANK\.lastIndex +0/);
    expect(stdout).toMatch(/watch 1 +BLANK\.lastIndex +3 .*was 0/);
    expect(stdout).toMatch(/201 +\d+ ms/);
  });
});

it('the children of a Node process become targets of their own, with its marks', async () => {
  const program = new NodeProgram(
    [
      "const { fork } = require('node:child_process');",
      "const input = require('node:readline').createInterface({ input: process.stdin });",
      'let child;',
      "input.on('line', (line) => {",
      "  if (line === 'fork') child = fork('./child.js');",
      '  else child.send(Number(line));',
      '});',
      "console.log('ready');",
    ].join('\n'),
    'app.js',
    {
      'child.js': [
        "process.on('message', (n) => console.log('child ' + triple(n)));",
        'function triple(n) {',
        '  const result = n * 3;',
        '  return result;',
        '}',
        "console.log('child up');",
      ].join('\n'),
    },
  );
  await program.line('ready');
  const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
  amber.type('break child.js:4 when n === 5\n');
  await amber.shows('is waiting');
  program.say('fork');
  await program.line('child up');
  await amber.shows('also attached: target 2');
  program.say('5');
  await amber.shows('also stopped: mark 1');
  amber.type('target 2\n= result\nresume\ndetach\n');
  const { stdout, code } = await amber.ended;
  expect(code).toBe(0);
  expect(stdout).toContain('15  number');
  expect(await program.line('child 15')).toBe('child 15');
  await program.end();
});

it('the workers of a cluster, which follow their primary, are all attached and all closed again', async () => {
  const program = new NodeProgram(
    [
      "const cluster = require('node:cluster');",
      'if (cluster.isPrimary) {',
      "  for (const worker of [cluster.fork(), cluster.fork()]) worker.on('message', (text) => console.log(text));",
      '  const all = () => Object.values(cluster.workers);',
      "  require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => all().forEach((worker) => worker.send(line)));",
      '} else {',
      "  process.on('message', (line) => process.send('worker ' + double(Number(line))));",
      "  process.send('worker up ' + process.pid);",
      '}',
      'function double(n) {',
      '  return n * 2;',
      '}',
    ].join('\n'),
    'app.js',
    {},
    // Each worker's port is one more than that of the one before: none may be 1, which any port (0) would make it.
    [`--inspect-port=${await freePort()}`],
    { NODE_OPTIONS: '' },
  );
  while (program.lines.length < 2) {
    await program.line('worker up', program.lines.length);
  }
  const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
  await amber.shows('target 2');
  await amber.shows('target 3');
  amber.type('break app.js:11 when n === 5\n');
  await amber.shows('is on (spliced)');
  program.say('5');
  await amber.shows('also stopped');
  await amber.shows('also stopped');
  amber.type('detach\n');
  expect((await amber.ended).code).toBe(0);
  await program.line('worker 10');
  const workers = program.lines.flatMap((line) => /up (\d+)/.exec(line)?.[1] ?? []).map(Number);
  expect(workers).toHaveLength(2);
  let open = [program.pid, ...workers];
  for (let tries = 0; tries < 5_000 && open.length > 0; tries += 1) {
    await new Promise(setImmediate);
    open = open.filter((pid) => listeningPorts(pid).length > 0);
  }
  expect(open).toEqual([]);
  await program.end();
});
