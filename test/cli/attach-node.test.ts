import { readFileSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE, NodeProgram } from '../support/node.js';

useRunFolder();

const EXPRESS = resolve(__dirname, '..', '..', 'node_modules', 'express');
const SHOP = `
const express = require(${JSON.stringify(EXPRESS)});
const app = express();
function price(kind, number) {
  const rates = { adult: 10, child: 5 };
  let total = 0;
  for (let one = 0; one < number; one += 1) {
    total += rates[kind];
  }
  return total;
}
app.get('/:kind/:number', async (request, response) => {
  await new Promise((done) => setImmediate(done));
  response.send(String(price(request.params.kind, Number(request.params.number))));
});
const server = app.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));
`;

describe('amber attach, on a service that runs Express', () => {
  let program: NodeProgram;
  let port: string;

  beforeEach(async () => {
    program = new NodeProgram(SHOP);
    port = (await program.line('port')).split(' ')[1] ?? '';
  });
  afterEach(() => program.end());

  const get = async (path: string) => await (await fetch(`http://127.0.0.1:${port}/${path}`)).text();

  it('stops the one request whose condition is true, folds the framework, and lets it go', async () => {
    const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
    const line = program.lineOf('total += rates');
    amber.type(`break app.js:${line} when kind === 'child' && total === 10\nwait 60\n`);
    await amber.shows('is on (spliced)');
    expect(await get('adult/3')).toBe('30');
    const late = get('child/4');
    const card = await amber.shows('next ▸');
    expect(card).toMatch(
      new RegExp(`● mark 1 · app.js:${line} in price · main · ${basename(program.folder)}`),
    );
    expect(card).toMatch(/let total = 0; +total = 10/);
    amber.type('stack\n= { ...rates }\nassign total = 100\nover\nresume\ndetach\n');
    const { code, stdout } = await amber.ended;
    expect(await late).toBe('110');
    expect(code).toBe(0);
    expect(stdout).toMatch(/▸ +0 {2}price +app.js/);
    expect(stdout).toMatch(/… \d+ foreign frames/);
    expect(stdout).toContain('{adult: 10, child: 5}  Object');
    expect(await get('adult/1')).toBe('10');
  });

  it('goes on when amber is killed while it is paused, and is closed again by the next one', async () => {
    const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
    amber.type(`break app.js:${program.lineOf('total += rates')}\nwait 60\n`);
    await amber.shows('is on');
    const late = get('child/3');
    await amber.shows('next ▸');
    amber.child.kill('SIGKILL');
    expect(await late).toBe('15');
    const again = await runAmber(['attach', `${program.pid}`], { input: 'marks\n' });
    expect(again).toMatchObject({ code: 0, stdout: expect.stringContaining('no marks') });
    expect(await get('child/3')).toBe('15');
  });

  it('is found by its runtime when it was started through amber run', async () => {
    const amber = startAmber(['run', '--', NODE, program.file], { cwd: program.folder });
    await amber.shows('port');
    const result = await runAmber(['attach', 'node'], { input: 'threads\n' });
    amber.child.kill();
    await amber.ended;
    expect(result).toMatchObject({ code: 0, stdout: expect.stringContaining('(javascript:') });
  });
});

describe('amber attach, on a Node process', () => {
  const SOURCE = [
    "const input = require('node:readline').createInterface({ input: process.stdin });",
    'function work(n) {',
    '  let total = 0;',
    '  for (let i = 0; i < n; i += 1) {',
    '    total += i;',
    '  }',
    '  return total;',
    '}',
    "const names = () => Object.getOwnPropertyNames(globalThis).filter((name) => name.startsWith('$'));",
    "input.on('line', (line) => {",
    "  if (line === 'throw') throw new Error('ended by an error');",
    "  if (line === 'exit') process.exit(7);",
    "  console.log(line === 'text' ? String(work).length + ' ' + names() : line + ' -> ' + work(Number(line)));",
    '});',
    "console.log('ready');",
  ].join('\n');
  let program: NodeProgram;

  beforeEach(async () => {
    program = new NodeProgram(SOURCE);
    await program.line('ready');
  });
  afterEach(() => program.end());

  it('has its splices out by itself after a kill -9, and takes its next client', async () => {
    const before = await program.ask('text');
    const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
    amber.type('break app.js:5 when i < 0\nlog app.js:7 "total {total}"\n');
    await amber.shows('mark 2');
    expect(await program.ask('text')).not.toBe(before);
    amber.child.kill('SIGKILL');
    await amber.ended;
    while ((await program.ask('text')) !== before) {
      // The helper notices by itself; the time limit of the test is the only one here.
    }
    expect(await program.ask('5')).toBe('5 -> 10');
    const again = await runAmber(['attach', `${program.pid}`], { input: 'marks\n' });
    expect(again).toMatchObject({ code: 0, stdout: expect.stringContaining('no marks') });
  });

  it('is not held by an amber that is suspended: its splices go, and it runs on', async () => {
    const before = await program.ask('text');
    const amber = startAmber(['attach', `${program.pid}`], {
      cwd: program.folder,
      // For as long as it is silent it is waited for: 20 s, times this.
      env: { AMBER_PATIENCE: '1' },
    });
    amber.type('log app.js:7 "total {total}"\n');
    await amber.shows('is on');
    amber.child.kill('SIGSTOP');
    while (!(await program.ask('text')).startsWith(before)) {
      // The agent notices by itself, and stays for as long as the connection does.
    }
    expect(await program.ask('5')).toBe('5 -> 10');
    amber.child.kill('SIGCONT');
    // Back in its place, amber splices again.
    let isTold = false;
    const told = amber.shows('total 10').then(() => {
      isTold = true;
    });
    while (!isTold) {
      await program.ask('5');
    }
    await told;
    amber.child.stdin?.end('detach\n');
    const { code, stdout, stderr } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout + stderr).toContain('nothing was heard of amber for too long');
    expect(await program.ask('text')).toBe(before);
  });

  it('tells the values of logpoints as they come, and counts what its limits leave out', async () => {
    const out = program.path('hits.ndjson');
    const amber = startAmber(['attach', `${program.pid}`, '--out', out], { cwd: program.folder });
    amber.type(
      'log app.js:7 "total is {total} of {[n, missing]}"\nlog app.js:5 "{i}" when i > 2\ncount app.js:5\n',
    );
    await amber.shows('mark 3');
    await program.ask('5');
    const text = await amber.shows('missing is not defined');
    expect(text).toMatch(/app\.js:5 +3\n.*app\.js:5 +4\n/);
    await program.ask('300000');
    await amber.shows('were left out');
    amber.type('marks\n');
    await amber.shows('2 errors');
    amber.type('detach\n');
    const { stdout } = await amber.ended;
    expect(stdout).toMatch(/3 +count +on +spliced +300005/);
    const dropped = [...stdout.matchAll(/([\d,]+) more of mark 2 were left out/g)].map(([, count = '']) =>
      Number(count.replaceAll(',', '')),
    );
    const shown = [...stdout.matchAll(/app\.js:5 +\d+$/gm)].length;
    expect(dropped.reduce((sum, count) => sum + count, 0) + shown).toBe(2 + 300_000 - 3);
    expect(await program.ask('text')).not.toContain('$amber');
    const written = recordsOf(readFileSync(out, 'utf8'));
    expect(written.filter(({ kind }) => kind === 'hit').length).toBeGreaterThan(2);
    expect(written.find(({ kind }) => kind === 'hit')).toMatchObject({ mark: 2, text: '3' });
    expect(written.some(({ kind }) => kind === 'dropped')).toBe(true);
  });

  it('is taken by one client at a time, and told apart in the list', async () => {
    const first = startAmber(['attach', `${program.pid}`]);
    await first.shows('attached');
    const second = await runAmber(['attach', `${program.pid}`]);
    expect(second).toMatchObject({ code: 3, stderr: expect.stringContaining('is attached') });
    const { stdout } = await runAmber(['targets']);
    expect(stdout).toMatch(new RegExp(`${program.pid} .*taken`));
    first.type('detach\n');
    await first.ended;
    const next = await runAmber(['attach', `${program.pid}`], { input: '' });
    expect(next).toMatchObject({ code: 0, stderr: '' });
  });

  it.each([
    ['an error that nobody catches', 'throw'],
    ['an exit', 'exit'],
  ])('tells a program that is ended by %s', async (_how, line) => {
    const amber = startAmber(['attach', `${program.pid}`]);
    await amber.shows('attached');
    program.say(line);
    const { code, stdout } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/has ended|has gone/);
  });

  it('tells a program that is killed while it is paused', async () => {
    const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
    amber.type('break app.js:7\nwait 60\n');
    await amber.shows('is on');
    program.say('3');
    await amber.shows('next ▸');
    program.child.kill('SIGKILL');
    const { code, stdout } = await amber.ended;
    expect(code).toBe(4);
    expect(stdout).toContain('has gone');
  });

  it('runs to its end though a client is there, and says so', async () => {
    const amber = startAmber(['attach', `${program.pid}`]);
    await amber.shows('attached');
    program.child.stdin?.end();
    expect(await program.exited).toBe(0);
    expect((await amber.ended).stdout).toContain('has ended');
  });

  it('has its turn at the default port beside others that have no port of their own either', async () => {
    const others = [1, 2].map(() => new NodeProgram(SOURCE, 'app.js', {}, [], { NODE_OPTIONS: '' }));
    await Promise.all(others.map((other) => other.line('ready')));
    const [one, two] = others as [NodeProgram, NodeProgram];
    const amber = startAmber(['attach', `${one.pid}`, `${two.pid}`], { cwd: one.folder });
    await amber.shows('attached to 1');
    amber.type('target 2\nthreads\ndetach\n');
    expect((await amber.ended).code).toBe(0);
    expect(await one.ask('3')).toBe('3 -> 3');
    await Promise.all(others.map((other) => other.end()));
  });
});
