import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { type Amber, recordsOf, runAmber, startAmber, startInTerminal } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { Program, pythonWith } from '../support/python.js';

const runFolder = useRunFolder();

/** The same small shop on the standard library's threaded server and on Flask. */
const SHOP = `
def price(kind, number):
    rates = {'adult': 10, 'child': 5}
    total = 0
    for one in range(number):
        # one ticket each
        total += rates[kind]
    return total
`;
const PLAIN = `${SHOP}
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
class Shop(BaseHTTPRequestHandler):
    def do_GET(self):
        kind, number = self.path.strip('/').split('/')
        text = str(price(kind, int(number))).encode()
        self.send_response(200)
        self.send_header('Content-Length', str(len(text)))
        self.end_headers()
        self.wfile.write(text)
    def log_message(self, *args):
        pass
server = ThreadingHTTPServer(('127.0.0.1', 0), Shop)
print('port', server.server_address[1], flush=True)
server.serve_forever()
`;
const FLASK = `${SHOP}
from flask import Flask
from werkzeug.serving import make_server
app = Flask('shop')
@app.route('/<kind>/<int:number>')
def shop(kind, number):
    return str(price(kind, number))
server = make_server('127.0.0.1', 0, app, threaded=True)
print('port', server.server_port, flush=True)
server.serve_forever()
`;
const lineOf = (text: string) => SHOP.split('\n').findIndex((line) => line.includes(text)) + 1;
const ADD = lineOf('total += rates');

describe.each([
  ['http.server', PLAIN, 'http'],
  ['Flask', FLASK, 'flask'],
])('amber attach, on a service that runs %s', (_name, source, module) => {
  const python = pythonWith(module);
  const test = python ? it : it.skip;
  let program: Program;
  let port: string;

  beforeEach(async () => {
    if (python) {
      program = new Program(python, source);
      port = (await program.line('port')).split(' ')[1] ?? '';
    }
  });
  afterEach(() => program?.end());

  const get = async (path: string) => await (await fetch(`http://127.0.0.1:${port}/${path}`)).text();
  const attach = (...args: string[]) =>
    startAmber(['attach', `${program.pid}`, ...args], { cwd: program.folder });

  test('stops at a request by its method and path, and tells which request a hit belongs to', async () => {
    const amber = attach();
    amber.type('break request GET /child/*\nbreak request POST /child/*\nmarks\nwait 60\n');
    await amber.shows('mark 2 at request POST /child/* is on (engine)');
    expect(await get('adult/3')).toBe('30');
    const late = get('child/2');
    const card = await amber.shows('next ▸');
    expect(card).toMatch(/● mark 1 · app\.py:\d+ in [\w.<>]+ · [^\n]*\n {2}GET \/child\/2\n/);
    amber.type(`log app.py:${ADD} "{total}"\nresume\n`);
    expect(await late).toBe('10');
    await amber.shows(/GET \/child\/2 app\.py:\d+ {2}0\n/);
    amber.type('drop 1\ndetach\n');
    const { stdout } = await amber.ended;
    expect(stdout).toMatch(/1 +break +on +engine +0 +request GET \/child\/\*\n/);
    expect(await get('child/1')).toBe('5');
  });

  test('stops the one request whose condition is true, shows it, steps it, and lets it go', async () => {
    const amber = attach();
    amber.type(`break app.py:${ADD - 1} when kind == "child" and total == 10\nwait 60\n`);
    await amber.shows('is on');
    expect(await get('adult/3')).toBe('30');
    const late = get('child/4');
    const card = await amber.shows('next ▸');
    expect(await get('adult/2')).toBe('20');
    expect(card).toContain(
      `mark 1 at app.py:${ADD} is on (spliced): line ${ADD - 1} has no code; the next is line ${ADD}`,
    );
    expect(card).toMatch(new RegExp(`● mark 1 · app.py:${ADD} in price`));
    expect(card).toMatch(
      new RegExp(
        `next ▸ +${ADD} │ {9}total \\+= rates\\[kind\\] +total = 10 {2}rates = \\{'adult': 10, 'child': 5\\} {2}k`,
      ),
    );
    amber.type(
      'vars\n= [k for k in rates if rates[k] == total / 2]\nassign total = 100\nover\nstack\nresume\ndetach\n',
    );
    const { code, stdout } = await amber.ended;
    expect(await late).toBe('110');
    expect(code).toBe(0);
    expect(stdout).toContain("['child']  list, 1 child");
    expect(stdout).toContain('total = 100  int');
    expect(stdout).toMatch(/▸ +0 {2}price .*\n(.*\n)* +… \d+ foreign frames/);
    expect(stdout).toContain('it goes on without marks');
    expect(await get('adult/1')).toBe('10');
  });

  test('speaks JSON lines that the schema accepts', async () => {
    const amber = attach('--json');
    amber.type(`break app.py:${ADD} when total == 5 hits 1\nwait 60\n`);
    await amber.shows('"kind":"marks"');
    const late = get('child/3');
    await amber.shows('"kind":"stop"');
    amber.type('vars\nstack\n= one\n= nothing\n= 1 +\nmarks\nfrobnicate\nsource\nthreads\nresume\n');
    amber.child.stdin?.end();
    const { stdout, code } = await amber.ended;
    expect(await late).toBe('15');
    expect(code).toBe(0);
    const records = recordsOf(stdout);
    expect(records.map(({ kind }) => kind)).toEqual([
      'marks',
      'stop',
      'vars',
      'stack',
      'value',
      'value',
      'value',
      'marks',
      'error',
      'source',
      'threads',
      'ended',
    ]);
    expect(records[1]).toMatchObject({ reason: 'breakpoint', mark: 1, frame: { name: 'price', line: ADD } });
    expect(records[4]).toEqual({ kind: 'value', expression: 'one', value: '1', type: 'int', children: 0 });
    expect(records[5]).toMatchObject({
      expression: 'nothing',
      error: expect.stringContaining("NameError: name 'nothing'"),
    });
    expect(records[7]).toMatchObject({
      marks: [{ number: 1, state: 'on', hits: 1, route: 'spliced', rule: '1' }],
    });
    expect(records[8]).toMatchObject({ code: 'AL_UNKNOWN_COMMAND' });
    expect(records.at(-1)).toMatchObject({ how: 'detached', code: null });
  });

  test('lets the request complete when amber is killed while it is paused, and can be attached to again', async () => {
    const amber = attach();
    amber.type(`break app.py:${ADD} when total == 5\nwait 60\n`);
    await amber.shows('is on');
    const late = get('child/3');
    await amber.shows('next ▸');
    const killed = performance.now();
    amber.child.kill('SIGKILL');
    expect(await late).toBe('15');
    expect(performance.now() - killed).toBeLessThan(2000);
    expect(await get('child/3')).toBe('15');
    const again = await runAmber(['attach', `${program.pid}`], { input: 'marks\n' });
    expect(again).toMatchObject({ code: 0, stdout: expect.stringContaining('no marks') });
  });

  test('detaches cleanly when it is interrupted', async () => {
    const amber = attach();
    amber.type(`break app.py:${ADD}\nwait 60\n`);
    await amber.shows('is on');
    const late = get('child/3');
    await amber.shows('next ▸');
    amber.child.kill('SIGINT');
    expect(await late).toBe('15');
    expect((await amber.ended).stdout).toContain('detached from');
  });
});

describe('the prompt at a terminal', () => {
  let program: Program;
  let amber: Amber;
  let port: string;

  beforeEach(async () => {
    program = new Program('python3', PLAIN);
    port = (await program.line('port')).split(' ')[1] ?? '';
    amber = startInTerminal(['attach', `${program.pid}`], { cwd: program.folder });
    await amber.shows('amber> ');
  });
  afterEach(async () => {
    amber.child.kill();
    await program.end();
  });

  it('completes, redraws what is being typed below an announced stop, keeps a history, leaves by Ctrl-D', async () => {
    // What comes in one piece is taken for a paste, in which Tab and Ctrl-C are characters.
    amber.type('bre');
    await amber.shows('amber> bre');
    amber.type('\t');
    await amber.shows('amber> break ');
    amber.type('ap');
    await amber.shows('amber> break ap');
    amber.type('\t');
    await amber.shows('amber> break app.py:');
    amber.type(`${ADD} when total == 5\r`);
    await amber.shows(`mark 1 at app.py:${ADD} is on`);
    amber.type('mar');
    const late = fetch(`http://127.0.0.1:${port}/child/3`);
    const from = amber.stdout.length;
    await amber.shows(/next ▸[\s\S]*t2> mar$/, from);
    amber.type('ks\r');
    await amber.shows(/spliced +1 [\s\S]*amber t2> $/, from);
    amber.type('= rates["ad');
    await amber.shows('= rates["ad', from);
    amber.type('\x03');
    amber.type('= rat');
    await amber.shows(/= rat$/, from);
    amber.type('\t');
    await amber.shows(/= rates$/, from);
    amber.type('\r');
    await amber.shows("{'adult': 10, 'child': 5}  dict, 2 children", from);
    amber.type('\x04');
    const { code, stdout } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toContain('it goes on without marks');
    expect(await (await late).text()).toBe('15');
    const again = startInTerminal(['attach', `${program.pid}`], { cwd: program.folder });
    await again.shows('amber> ');
    again.type('\x1b[A');
    await again.shows('= rates');
    again.type('\x15detach\r');
    expect((await again.ended).code).toBe(0);
  });

  it('interrupts an evaluation by Ctrl-C and stays', async () => {
    amber.type(`break app.py:${ADD}\r`);
    await amber.shows('is on');
    const late = fetch(`http://127.0.0.1:${port}/child/1`);
    await amber.shows('next ▸');
    amber.type('= [0 for _ in iter(int, 1)]\r');
    await amber.shows(/iter\(int, 1\)\]\s*\n/);
    amber.type('\x03');
    await amber.shows('evaluate was interrupted');
    amber.type('= 20 + 3\r');
    await amber.shows('23  int');
    amber.type('resume\r');
    expect(await (await late).text()).toBe('5');
  });
});

describe('amber attach', () => {
  const python = 'python3';
  const programs: Program[] = [];
  const start = (...args: ConstructorParameters<typeof Program>) => {
    const program = new Program(...args);
    programs.push(program);
    return program;
  };
  afterEach(async () => {
    await Promise.all(programs.splice(0).map((program) => program.end()));
  });
  const IDLE =
    'def f(n):\n    return n\n\nprint("ready", flush=True)\nfor line in iter(input, ""):\n    f(line)\n    print("done", flush=True)\n';

  it('tells that there is no such process, or that it is no interpreter', async () => {
    const none = await runAmber(['attach', '4194303']);
    expect(none).toMatchObject({ code: 3, stderr: expect.stringContaining('there is no process 4194303') });
    const other = await runAmber(['attach', '1']);
    expect(other.code).toBe(3);
    expect(other.stderr).toMatch(/hint: /);
    expect(await runAmber(['attach', 'cobol'])).toMatchObject({
      code: 3,
      stderr: expect.stringContaining('nothing runs here that is called "cobol"'),
    });
  });

  it('asks before the agent is brought into a Python without it', async () => {
    const program = start(python, IDLE, {}, { env: { PYTHONPATH: '', AMBER_AGENT: '' } });
    await program.line('ready');
    const { code, stderr } = await runAmber(['attach', `${program.pid}`]);
    expect(code).toBe(3);
    expect(stderr).toContain(`process ${program.pid} was started without the agent`);
    expect(stderr).toMatch(/hint: agree with --yes/);
  });

  it('lists several targets where one is needed, and says when one is taken', async () => {
    const one = start(python, IDLE);
    const two = start(python, IDLE);
    await Promise.all([one.line('ready'), two.line('ready')]);
    const several = await runAmber(['attach']);
    expect(several.code).toBe(3);
    // Pages of browsers that other tests have started stand in the list too.
    expect(several.stderr).toMatch(/there are \d+ targets/);
    expect(several.stderr).toContain(`  ${one.pid}  `);
    expect(several.stderr).toContain(`  ${two.pid}  `);
    const asked = startInTerminal(['attach']);
    const list = await asked.shows(/which one \(1 to \d+\)\? /);
    asked.type(`${new RegExp(`(\\d+) {2}${two.pid} {2}`).exec(list)?.[1]}\r`);
    await asked.shows(`(python:${two.pid})`);
    asked.type('detach\r');
    await asked.ended;
    const holder = startAmber(['attach', `${one.pid}`]);
    await holder.shows('attached to');
    const taken = await runAmber(['attach', `${one.pid}`]);
    expect(taken.code).toBe(3);
    expect(taken.stderr).toContain(`already attached: process ${holder.child.pid} has this target`);
    // The other one is the only free one now.
    expect(await runAmber(['attach', 'python'])).toMatchObject({
      code: 0,
      stdout: expect.stringContaining(`python:${two.pid}`),
    });
    expect((await runAmber(['targets'])).stdout).toMatch(/taken[\s\S]*process \d+ is attached/);
    holder.child.stdin?.end();
    await holder.ended;
  });

  it('tells a target that is killed while attached, and while paused', async () => {
    const program = start(python, IDLE);
    await program.line('ready');
    const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
    amber.type('break app.py:2\nwait 60\nstack\n');
    await amber.shows('is on');
    program.say('x');
    await amber.shows('next ▸');
    program.child.kill('SIGKILL');
    await amber.shows('has gone: it ended or was killed');
    amber.type('vars\n');
    const { code, stdout } = await amber.ended;
    expect(code).toBe(4);
    expect(stdout).not.toContain('    at ');
  });

  it('tells a connection that is lost from a target that is gone', async () => {
    const program = start(python, IDLE);
    await program.line('ready');
    const amber = startAmber(['attach', `${program.pid}`, '--json'], { cwd: program.folder });
    amber.type('break app.py:2\nwait 60\n');
    await amber.shows('"kind":"marks"');
    program.say('x');
    await amber.shows('"kind":"stop"');
    // The agent lets go by itself, as it does for a client that has fallen silent.
    amber.type(
      '= [s.close() for s in __import__("gc").get_objects() if type(s).__name__ == "socket" and s.family == 1]\n',
    );
    const { code, stdout } = await amber.ended;
    expect(recordsOf(stdout).find(({ kind }) => kind === 'ended')).toMatchObject({ how: 'lost' });
    expect(code).toBe(4);
    expect(await program.line('done')).toBe('done');
  });

  it('sweeps up what processes that are gone have left', async () => {
    const program = start(python, IDLE);
    await program.line('ready');
    program.child.kill('SIGKILL');
    await program.exited;
    expect(program.description(runFolder())).toBeUndefined();
    const { stdout } = await runAmber(['targets', '--json']);
    expect(JSON.stringify(recordsOf(stdout))).not.toContain(`"pid":${program.pid}`);
    expect(await runAmber(['attach', `${program.pid}`])).toMatchObject({ code: 3 });
  });

  it('answers mistakes with a sentence and a hint, goes on, and under --strict ends', async () => {
    const program = start(python, IDLE);
    await program.line('ready');
    const script = [
      'frob',
      's',
      'break',
      'break app.py:',
      'break apq.py:2',
      'break app.py:99',
      'break app.py:2 when n +',
      'drop 7',
      'vars',
      'frame x',
      'wait soon',
      'change 1 sometimes',
      'assign x',
      'break app.py:2 when n',
      'marks',
      'off',
      'on 1',
      'drop all',
    ];
    const { code, stdout } = await runAmber(['attach', `${program.pid}`], {
      input: script.join('\n'),
      cwd: program.folder,
    });
    expect(code).toBe(0);
    const answers = stdout
      .split(/^amber> /m)
      .slice(1)
      .map((part) => part.split('\n').slice(1).join('\n').trim());
    expect(answers).toEqual([
      expect.stringContaining('there is no command "frob"'),
      'amber: s may be save, stack, source, sources, send\n  hint: type one more letter',
      expect.stringContaining('a place is missing'),
      'amber: a line number is expected here\n  app.py:\n         ^\n  hint: for example fares.py:58',
      'amber: there is no file apq.py\n  hint: did you mean app.py?',
      expect.stringContaining('waiting: there is no code at or after line 99'),
      expect.stringMatching(/^amber: the condition is not an expression[\s\S]*no mark was set$/),
      expect.stringContaining('there is no mark 7'),
      expect.stringContaining('no thread is paused'),
      expect.stringContaining('a number is expected, not "x"'),
      expect.stringContaining('not "soon"'),
      expect.stringContaining('`when`, `hits` or `for` expected'),
      expect.stringContaining('an assignment is NAME = EXPR'),
      'mark 3 at app.py:2 is on (spliced)',
      expect.stringMatching(/3 {2}break {2}on +spliced +0 {2}app.py:2\n +when n/),
      expect.stringContaining('mark 3 at app.py:2 is off'),
      expect.stringContaining('mark 1 at'),
      expect.stringContaining('are gone'),
    ]);
    const strict = await runAmber(['attach', `${program.pid}`, '--strict'], { input: 'frob\nmarks\n' });
    expect(strict).toMatchObject({ code: 2, stdout: expect.not.stringContaining('no marks') });
  });

  it('ends with 1 when a wait fails, and says what the marks are waiting for', async () => {
    const program = start(python, IDLE, { 'later.py': 'x = 1\n' });
    await program.line('ready');
    const { code, stdout } = await runAmber(['attach', `${program.pid}`], {
      input: 'break later.py:1\nwait 0.1\n',
      cwd: program.folder,
    });
    expect(code).toBe(1);
    expect(stdout).toContain(
      'nothing stopped within 0.1 s\n  hint: mark 1 is waiting: the file is not loaded yet',
    );
  });

  it('takes marks from the command line, in the words of the prompt', async () => {
    const program = start(python, IDLE);
    await program.line('ready');
    const options = ['--count', 'app.py:2', '--log', 'app.py:2 "line {n}"', '--break', 'app.py:2 hits 3'];
    const amber = startAmber(['attach', `${program.pid}`, ...options], { cwd: program.folder });
    await amber.shows('mark 3 at');
    program.say('x');
    amber.type('wait 60\nmarks\ndetach\n');
    await amber.shows('mark 1 at');
    for (const text of ['a', 'b', 'c']) {
      program.say(text);
    }
    const { stdout, code } = await amber.ended;
    expect(stdout).toMatch(/1 +break +on/);
    expect(stdout).toMatch(/2 +log +on/);
    expect(stdout).toMatch(/3 +count +on/);
    expect(code).toBe(0);
    const wrong = await runAmber(['attach', `${program.pid}`, '--break', 'app.py:2 whne x']);
    expect(wrong.code).toBe(2);
    expect(wrong.stderr).toMatch(/amber: .*\n +app\.py:2 whne x\n +\^/);
    expect(wrong.stdout).not.toContain('attached');
  });

  it('writes a wire log on request, and reads commands from a file', async () => {
    const program = start(python, IDLE, { commands: 'marks\n# a remark\n\nhelp break\n' });
    await program.line('ready');
    const log = join(program.folder, 'wire.ndjson');
    const { stdout } = await runAmber(
      ['attach', `${program.pid}`, '--commands', 'commands', '--wire-log', log],
      { cwd: program.folder },
    );
    expect(stdout).toContain('example: break fares.py:58 when total < 0');
    const { readFileSync } = await import('node:fs');
    const lines = readFileSync(log, 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line));
    expect(lines[0]).toMatchObject({ direction: 'sent', message: { command: 'initialize' } });
    expect(lines.at(-1)).toMatchObject({
      direction: 'received',
      message: { command: 'disconnect', success: true },
    });
    rmSync(log);
  });
});
