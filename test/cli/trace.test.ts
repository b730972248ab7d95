import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { trailRecordSchema } from '../../src/core/trail/records.js';
import { recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';

useRunFolder();

const SHOP = `const http = require('node:http');
function quote(n) {
  const total = n * 2;
  return total;
}
const server = http.createServer((request, response) => {
  const n = Number(request.url.slice(1));
  response.end(String(quote(n)));
});
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`;

describe('amber trace', () => {
  let program: NodeProgram;
  let base: string;
  beforeEach(async () => {
    program = new NodeProgram(SHOP);
    base = await program.line('http:');
  });
  afterEach(() => program.end());

  const ask = async (n: number) => await (await fetch(`${base}/${n}`)).text();
  const trailOf = (path: string) =>
    readFileSync(path, 'utf8')
      .split('\n')
      .filter(Boolean)
      .map((line) => trailRecordSchema.parse(JSON.parse(line)));
  const start = (...args: string[]) =>
    startAmber(['trace', `${program.pid}`, ...args], { cwd: program.folder });

  it('records hits with their requests until there are enough, and leaves the program clean', async () => {
    const trail = program.path('trail.ndjson');
    const options = [
      '--log',
      'app.js:4 "{n} is {total}"',
      '--count',
      'app.js:8',
      '--requests',
      '3',
      '--trail',
      trail,
    ];
    const amber = start(...options);
    await amber.shows('mark 2 at app.js:8 is on');
    for (const n of [1, 2, 3]) {
      expect(await ask(n)).toBe(`${n * 2}`);
    }
    const { code, stdout } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/GET \/2 app\.js:4 {2}2 is 4\n/);
    expect(stdout).toMatch(/3 passes of mark 2 \(app\.js:8\) in javascript:\d+\n/);
    expect(stdout).toMatch(/3 hits in 3 requests {2}\(requests\)\ntrail: trail\.ndjson\n$/);
    const records = trailOf(trail);
    expect(records.map(({ kind }) => kind).join(' ')).toBe(
      'trail request hit request hit request hit count end',
    );
    expect(records[0]).toMatchObject({
      veil: true,
      marks: [
        { number: 1, kind: 'log' },
        { number: 2, kind: 'count' },
      ],
    });
    expect(records[1]).toMatchObject({ method: 'GET', path: '/1' });
    expect(records[2]).toMatchObject({
      text: '1 is 2',
      values: [{ expression: 'n', value: '1' }, { value: '2' }],
    });
    expect(await ask(9)).toBe('18');
    const report = await runAmber(['report', trail]);
    expect(report.stdout).toMatch(/^3 hits in 3 requests {2}from \S+ · [\d.]+ s, ended: requests\n/);
    expect(report.stdout).toMatch(/ +1 +3 +0 {2}app\.js:4 "\{n\} is \{total\}"\n +2 +3 +0 {2}app\.js:8\n/);
    const [, id] = /^ *(\d+) +[\d.]+ s +1 +0 {2}javascript:\d+ +GET \/2$/m.exec(report.stdout) ?? [];
    const story = await runAmber(['report', trail, '--request', `${id}`]);
    expect(story.stdout).toMatch(/^GET \/2 {2}javascript:\d+ · request \d+\n\n +app\.js:4 {2}2 is 4\n$/);
  });

  it('takes the logpoints of amber.yaml and none of its breakpoints, and ends after its time', async () => {
    writeFileSync(
      program.path('amber.yaml'),
      'marks:\n  - break: app.js:4\n  - log: app.js:3 "{n}"\nlimits: { perSecond: 1000 }\n',
    );
    const amber = start('--for', '1500ms', '--json');
    await amber.ended;
    const again = start('--until-hit', '2', '--json');
    // Sent until it has seen two: when its marks are on it says nothing of them.
    let over = false;
    void again.ended.then(() => {
      over = true;
    });
    while (!over) {
      expect(await ask(4)).toBe('8');
    }
    const { code, stdout } = await again.ended;
    expect(code).toBe(0);
    const records = recordsOf(stdout);
    expect(records.filter(({ kind }) => kind === 'stop')).toEqual([]);
    expect(records.at(-1)).toMatchObject({ kind: 'traced', why: 'hits' });
    const [first] = readdirSync(program.path('.amber/trails')).sort();
    expect(trailOf(join(program.path('.amber/trails'), first ?? '')).at(-1)).toMatchObject({
      kind: 'end',
      why: 'time',
    });
  });

  it('leaves a readable trail when it is interrupted, and when its target is killed', async () => {
    const trail = program.path('trail.ndjson');
    const amber = start('--log', 'app.js:4 "{n}"', '--trail', trail);
    await amber.shows('mark 1 at app.js:4 is on');
    await ask(5);
    await amber.shows('GET /5');
    amber.child.kill('SIGINT');
    expect((await amber.ended).code).toBe(0);
    expect(trailOf(trail).at(-1)).toMatchObject({ kind: 'end', why: 'interrupted', hits: 1 });
    const second = start('--log', 'app.js:4 "{n}"', '--trail', trail);
    await second.shows('mark 1 at app.js:4 is on');
    program.child.kill('SIGKILL');
    expect((await second.ended).code).toBe(4);
    expect(trailOf(trail).at(-1)).toMatchObject({ kind: 'end', why: 'targets gone', hits: 0 });
  });

  it('says what is wrong with what it is asked for', async () => {
    const run = (...args: string[]) =>
      runAmber(['trace', `${program.pid}`, ...args], { cwd: program.folder });
    expect(await run()).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('there is nothing to record'),
    });
    expect(await run('--log', 'app.js:4 "{n}"', '--for', 'soon')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('--for soon is no time\n  hint: for example --for 60s'),
    });
    expect(await run('--log', 'app.js:4')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('what to tell is missing'),
    });
    expect(await run('--log', 'app.js:4 "{n}"', '--trail', 'app.js/t')).toMatchObject({ code: 2 });
    const report = (...args: string[]) => runAmber(['report', ...args], { cwd: program.folder });
    expect(await report('nowhere')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('there is no trail'),
    });
    expect(await report('app.js')).toMatchObject({ code: 2, stderr: expect.stringContaining('is no trail') });
  });
});
