import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { recordsOf, runAmber, startAmber, startInTerminal } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { trailOf } from '../support/trail.js';

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
    expect(stdout).toMatch(/3 passes of mark 2 \(app\.js:8\) in \S+\n/);
    expect(stdout).toMatch(
      /3 hits in 3 requests {2}\(requests\)\ntrail: trail\.ndjson {2}amber report trail\.ndjson\n$/,
    );
    expect(stdout).toMatch(/^200 +[\d.]+ m?s +1 {2}GET \/2 +\S+$/m);
    const records = trailOf(trail);
    // Beginnings and ends of requests may be told together with hits or apart from them.
    const kinds = records.map(({ kind }) => kind);
    expect(kinds.slice(0, 5).join(' ')).toBe('trail place place source request');
    expect(kinds.slice(4, -2).sort().join(' ')).toBe(
      `${'ended '.repeat(3)}${'hit '.repeat(3)}${'request '.repeat(3)}`.trim(),
    );
    expect(kinds.slice(-2).join(' ')).toBe('count end');
    const [first, second, third] = records.filter(({ kind }) => kind === 'ended');
    expect([first, second, third]).toMatchObject(
      [1, 2, 3].map((id) => ({ id, status: 200, ms: expect.any(Number) })),
    );
    expect(records[1]).toMatchObject({ mark: 1, path: program.file, line: 4 });
    expect(records[3]).toMatchObject({ path: program.file, first: 1, lines: SHOP.split('\n') });
    expect(records[0]).toMatchObject({
      veil: true,
      marks: [
        { number: 1, kind: 'log' },
        { number: 2, kind: 'count' },
      ],
    });
    expect(records.find(({ kind }) => kind === 'request')).toMatchObject({
      method: 'GET',
      path: '/1',
      id: 1,
    });
    expect(records.find(({ kind }) => kind === 'hit')).toMatchObject({
      text: '1 is 2',
      values: [{ expression: 'n', value: '1' }, { value: '2' }],
    });
    expect(await ask(9)).toBe('18');
    const report = await runAmber(['report', trail]);
    expect(report.stdout).toMatch(/^3 hits in 3 requests {2}from \S+ · [\d.]+ s, ended: requests\n/);
    expect(report.stdout).toMatch(/ +1 +3 +0 {2}app\.js:4 "\{n\} is \{total\}"\n +2 +3 +0 {2}app\.js:8\n/);
    const row = /^ *(\d+) +[\d.]+ s +200 +[\d.]+ m?s +1 {2}GET \/2 +\S+$/m;
    expect(report.stdout).toMatch(row);
    const [, id] = row.exec(report.stdout) ?? [];
    const story = await runAmber(['report', trail, '--request', `${id}`]);
    const told = /^GET \/2 {2}200 {2}\S+ · request 2 · [\d.]+ m?s\n\n +app\.js:4 +2 is 4\n$/;
    expect(story).toMatchObject({ stdout: expect.stringMatching(told), stderr: '', code: 0 });
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

  it('sends requests meanwhile, and tells which answers are good by what amber.yaml expects', async () => {
    const requests = {
      one: { url: `${base}/1`, expect: { text: '2' } },
      two: { url: `${base}/2`, expect: { text: '5' } },
    };
    writeFileSync(program.path('amber.yaml'), JSON.stringify({ requests }));
    const trail = program.path('trail.ndjson');
    const sending = ['--send', 'one', '--send', 'two', '--times', '6', '--concurrency', '3'];
    const only = ['--log', 'app.js:4 "{total}" for request GET /2'];
    const { code, stdout } = await start(...sending, ...only, '--trail', trail, '--json').ended;
    expect(code).toBe(0);
    const records = recordsOf(stdout);
    expect(records.at(-1)).toMatchObject({ kind: 'traced', why: 'sent', requests: 12, hits: 6 });
    const served = records.filter((record) => record.kind === 'served');
    expect(served).toHaveLength(12);
    expect(served.filter(({ hits }) => hits === 1).map(({ request }) => request?.target)).toEqual(
      Array(6).fill('/2'),
    );
    const sent = trailOf(trail).filter((record) => record.kind === 'sent');
    expect(sent.map(({ name, verdict }) => `${name} ${verdict}`).sort()).toEqual([
      ...Array(6).fill('one good'),
      ...Array(6).fill('two faulty'),
    ]);
    expect(sent.find(({ name }) => name === 'two')?.faults).toEqual(['the body does not hold "5"']);
    const report = await runAmber(['report', trail]);
    expect(report.stdout).toContain('amber sent 12 requests: 6 good, 6 faulty\n');
    expect(report.stdout).toMatch(/GET \/2 +\S+ +faulty$/m);
    const [, id] = /^ *(\d+) .* GET \/2 /m.exec(report.stdout) ?? [];
    const story = await runAmber(['report', trail, '--request', `${id}`]);
    expect(story.stdout).toContain('sent by amber as two: faulty: the body does not hold "5"');
    const nobody = await start('--send', 'GET http://127.0.0.1:1/', '--trail', trail).ended;
    expect(nobody).toMatchObject({ code: 0, stdout: expect.stringMatching(/1 of 1 sent, no answer: \S+/) });
  });

  it('follows a function or a file line by line, and tells what each line has changed', async () => {
    const trail = program.path('trail.ndjson');
    const send = ['--send', `GET ${base}/21`, '--trail', trail];
    const { stdout } = await start('--follow', 'quote', ...send).ended;
    expect(stdout).toContain('follows 2 lines of quote\n');
    const story = async () =>
      (await runAmber(['report', trail, '--request', '1'])).stdout.split('\n').slice(-3);
    const [first, second] = await story();
    expect(first).toMatch(/^ +app\.js:3 +quote\(n = 21\) {2}const total = n \* 2; {3}→ total = 42$/);
    expect(second).toMatch(/^ +\+[\d,]+ µs {2}app\.js:4 +return total;$/);
    const file = await start('--follow', 'app.js', ...send).ended;
    expect(file.stdout).toMatch(/follows \d+ lines of app\.js\n/);
    expect(trailOf(trail).filter(({ kind }) => kind === 'hit').length).toBeGreaterThanOrEqual(4);
    expect(await start('--follow', 'nowhere', ...send).ended).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('there is nothing to follow in nowhere'),
    });
  });

  it('at a terminal shows requests as they end and the totals below, and ends by Ctrl-C', async () => {
    const trail = program.path('trail.ndjson');
    const amber = startInTerminal(['trace', `${program.pid}`, '--log', 'app.js:4 "{n}"', '--trail', trail], {
      cwd: program.folder,
    });
    await amber.shows(/mark 1 at app\.js:4 is on[\s\S]*0 s · 0 requests · 0 hits/);
    await ask(5);
    const seen = await amber.shows(/200 +[\d.]+ ms +1 {2}GET \/5 +\S+/);
    // A hit of a request is told by its request's line alone.
    expect(seen).not.toContain('GET /5 app.js:4');
    await amber.shows(/1 request · 1 hit · Ctrl-C ends it/);
    amber.type('\x03');
    const { stdout, code } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout.replaceAll('\r', '')).toMatch(/1 hit in 1 request/);
    expect(trailOf(trail).at(-1)).toMatchObject({ kind: 'end', why: 'interrupted' });
  });

  it('at a terminal folds hits that nobody could read; all of them are in the trail', async () => {
    const script = new NodeProgram(`process.stdin.on('data', () => {
  for (let i = 0; i < 300; i += 1) {
    i += 0;
  }
  console.log('passed');
});
console.log('there');
`);
    try {
      await script.line('there');
      const trail = script.path('trail.ndjson');
      const options = ['--log', 'app.js:3 "{i}"', '--until-hit', '300', '--trail', trail];
      const amber = startInTerminal(['trace', `${script.pid}`, ...options], { cwd: script.folder });
      await amber.shows(/mark 1 at app\.js:3 is on/);
      script.say('go');
      const { stdout } = await amber.ended;
      const shown = Number(/… (\d+) more hits, all in the trail/.exec(stdout)?.[1]);
      expect(stdout.match(/app\.js:3\S* +\d+\r?\n/g)).toHaveLength(300 - shown);
      expect(shown).toBeGreaterThan(100);
      const hits = trailOf(trail).flatMap((record) => (record.kind === 'hit' ? [record.text] : []));
      expect(hits).toEqual(Array.from({ length: 300 }, (_, index) => `${index}`));
    } finally {
      await script.end();
    }
  });

  it('makes tables, spans and a page of a trail', async () => {
    const trail = program.path('trail.ndjson');
    await start('--log', 'app.js:4 "{total}"', '--send', `GET ${base}/4`, '--times', '2', '--trail', trail)
      .ended;
    const report = (...args: string[]) => runAmber(['report', trail, ...args], { cwd: program.folder });
    expect((await report('--csv')).stdout.split('\r\n')).toHaveLength(4);
    expect((await report('--csv', 'requests')).stdout).toMatch(/\r\n1,[\d.-]+,javascript:\d+,GET,\/4,200,/);
    const [line = ''] = (await report('--otlp')).stdout.split('\n');
    expect(JSON.parse(line).resourceSpans.length).toBeGreaterThan(1);
    expect(await report('--html', '--out', 'page.html')).toMatchObject({
      code: 0,
      stdout: 'wrote page.html\n',
    });
    const page = readFileSync(program.path('page.html'), 'utf8');
    expect(page).not.toMatch(/(src|href)="?https?:/);
    expect(await report('--csv', '--out', 'app.js/x')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('app.js/x cannot be written'),
    });
    for (const wrong of [
      ['--csv', 'lines'],
      ['--csv', '--otlp'],
      ['--out', 'x'],
      ['--request', '99'],
    ]) {
      expect(await report(...wrong)).toMatchObject({ code: 2, stderr: expect.stringContaining('hint: ') });
    }
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
    expect(await run('--send', `GET ${base}/1`, '--times', 'often')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('--times often is no number from 1 on'),
    });
    expect(await run('--log', 'app.js:4 "{n}"', '--times', '2')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('--times and --concurrency are for --send'),
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

  it('tells when hits are missing since a mark was passed too often for the engine', async () => {
    const busy = new NodeProgram(
      "function quote(n) {\n  const total = n * 2;\n  return total;\n}\nsetInterval(() => {\n  for (let n = 0; n < 100; n += 1) quote(n);\n}, 5);\nconsole.log('ready');\n",
    );
    await busy.line('ready');
    const env = { AMBER_LIVE_EDIT: 'off' };
    const amber = startAmber(['trace', `${busy.pid}`, '--log', 'app.js:3 "{total}"'], {
      cwd: busy.folder,
      env,
    });
    await amber.shows(
      /mark 1 is not on in \S+ for now, and what passes it is not told: it was passed so often/,
    );
    amber.child.kill('SIGINT');
    await amber.ended;
    await busy.end();
  });
});
