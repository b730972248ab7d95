import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { chmodSync, existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { type Duplex, PassThrough } from 'node:stream';
import { streamPair } from '../../../src/adapters/pair.js';
import { patient, setPatience } from '../../../src/core/patience.js';
import { Session } from '../../../src/core/session/session.js';
import { connectedTo, listeningPorts } from '../../../src/targets/linux.js';
import { startAmber } from '../../../test/support/amber.js';
import { useRunFolder } from '../../../test/support/attached.js';
import { realClock } from '../../../test/support/clock.js';
import { NODE, NodeProgram } from '../../../test/support/node.js';
import { endPrograms, makeFolder } from '../../../test/support/program.js';
import { JavaScriptAdapter } from '../adapter/adapter.js';
import { connectNode } from '../process/agent.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const SOURCE = `
function work(n) {
  const twice = n * 2;
  return twice;
}
const state = () => JSON.stringify({
  ours: Object.getOwnPropertyNames(globalThis).filter((name) => name.startsWith('$')),
  exits: process.listenerCount('exit'),
  threads: require('node:fs').readdirSync('/proc/self/task').length,
});
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  if (line === 'state') console.log(state());
  else if (line === 'exit') process.exit(7);
  else if (line.startsWith('block')) require('node:child_process').spawnSync('sh', ['-c', 'until [ -e "$0" ]; do sleep 0.1; done', line.slice(6)]), console.log('free');
  else console.log(line + ' -> ' + work(Number(line)));
});
console.log('ready');
`;

const isRoot = process.getuid?.() === 0;
const forRoot = isRoot && spawnSync('setpriv', ['--version']).status === 0 ? it : it.skip;

/**
 * Tries to reach a process as another user, again and again: by the inspector's ports, and by the sockets in the run
 * folder. Prints how often it tried, and whatever answered.
 */
const INTRUDER = `
const net = require('node:net');
const fs = require('node:fs');
const [folder, pid] = process.argv.slice(2);
let tries = 0;
const got = new Set();
async function turn() {
  tries += 1;
  for (const path of [folder + '/' + pid + '.sock', folder]) {
    try { fs.statSync(path); if (path !== folder) got.add('sees ' + path); } catch {}
  }
  await new Promise((done) => {
    const socket = net.connect(folder + '/' + pid + '.sock', () => { got.add('connected to the socket'); done(); });
    socket.on('error', done);
  });
  setTimeout(turn, 5);
}
turn();
process.stdin.on('data', () => { console.log(JSON.stringify({ tries, got: [...got] })); process.exit(); });
`;

async function intrude(program: NodeProgram): Promise<{ child: ChildProcess; ends(): Promise<string> }> {
  const folder = makeFolder({ 'intruder.js': INTRUDER });
  chmodSync(folder, 0o755);
  const args = ['--reuid=65534', '--regid=65534', '--clear-groups', process.execPath];
  const child = spawn('setpriv', [...args, join(folder, 'intruder.js'), runFolder(), `${program.pid}`], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  return {
    child,
    ends: async () => {
      const told = new Promise<string>((done) => child.stdout?.once('data', (text) => done(String(text))));
      child.stdin?.write('\n');
      return await told;
    },
  };
}

forRoot('another user reaches nothing: while attached, at a stop, and after a kill', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  const own = listeningPorts(program.pid).length;
  const intruder = await intrude(program);
  const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
  await amber.shows('attached');
  // From here on no port of ours listens, nor ever after.
  expect(listeningPorts(program.pid)).toHaveLength(own);
  amber.type(`break app.js:${program.lineOf('const twice')}\nwait 60\n`);
  await amber.shows('is on');
  program.say('4');
  await amber.shows('next ▸');
  expect(listeningPorts(program.pid)).toHaveLength(own);
  expect(existsSync(join(runFolder(), `${program.pid}.sock`))).toBe(true);
  amber.child.kill('SIGKILL');
  expect(await program.line('4 ->')).toBe('4 -> 8');
  expect(listeningPorts(program.pid)).toHaveLength(own);
  const { tries, got } = JSON.parse(await intruder.ends()) as { tries: number; got: string[] };
  expect(tries).toBeGreaterThan(10);
  expect(got).toEqual([]);
});

it('leaves a program as it was, again and again', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  const before = await program.ask('state');
  for (let round = 0; round < Number(process.env.AMBER_ROUNDS ?? 6); round += 1) {
    const attached = await program.attach();
    await attached.mark(program.file, program.lineOf('const twice'), 'n < 0');
    expect(await program.ask('3')).toBe('3 -> 6');
    await attached.session.detach();
    while ((await program.ask('state')) !== before) {
      // The thread ends a moment after the connection.
    }
  }
  expect(readdirSync(runFolder()).filter((name) => name.startsWith(`${program.pid}.`))).toEqual([]);
}, 600_000);

it('tells whoever comes next of all code, while what the one before has left is still being put back', async () => {
  const program = new NodeProgram(
    [
      'let goOn;',
      'async function wait() {',
      '  await new Promise((done) => { goOn = done; });',
      "  return 'waited';",
      '}',
      'const before = wait.toString();',
      "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {",
      "  if (line === 'begin') wait().then(console.log), console.log('began');",
      "  else if (line === 'end') goOn(), goOn = undefined;",
      "  else console.log('same ' + (wait.toString() === before));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  const first = await program.attach();
  await first.mark(program.file, program.lineOf("return 'waited'"), 'false');
  await program.ask('begin');
  const told: string[] = [];
  first.session.on('output', ({ category, text }) => {
    told.push(...(category === 'important' ? [text] : []));
  });
  await first.session.detach();
  expect(told).toEqual([expect.stringMatching(/^amber: functions that have not ended.*app\.js/)]);
  // The function that waits is in the way; the agent tries, and has the engine tell it of all scripts for that.
  await new Promise((done) => setTimeout(done, 300));
  const second = await program.attach();
  const mark = second.store.add({ place: { kind: 'function', name: 'wait' }, condition: 'false' });
  await second.sync.send(mark);
  expect(second.sync.status(mark)).toMatchObject({ state: 'on', line: 3 });
  await second.session.detach();
  expect(await program.ask('end')).toBe('waited');
  while ((await program.ask('same')) !== 'same true') {
    // It is put back by the agent, which has nobody to tell.
  }
});

it('asks for another agent where the one that is there leaves as we come', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  const left = new PassThrough();
  left.end();
  const ways: (Duplex | undefined)[] = [left, undefined];
  const [ours, adapters] = streamPair();
  new JavaScriptAdapter(adapters, async () => ways.shift() ?? (await connectNode(process.env, program.pid)));
  const session = new Session(ours, { clock: realClock, attach: { pid: program.pid } });
  await session.open(async () => undefined);
  expect(ways).toEqual([]);
  await session.detach();
  expect(await program.ask('4')).toBe('4 -> 8');
  await program.end();
});

it('ends with its own code, and without a word, while somebody is attached', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder });
  await amber.shows('attached');
  const said = program.stderr;
  program.say('exit');
  expect(await program.exited).toBe(7);
  expect((await amber.ended).stdout).toContain('has ended');
  expect(program.stderr).toBe(said);
});

it('refuses a process that has too few descriptors left, which Node would not survive', async () => {
  const source = `
const net = require('node:net');
const server = net.createServer(() => {}).listen(0, '127.0.0.1', () => {
  for (let count = 0; count < 6; count += 1) net.connect(server.address().port, '127.0.0.1').on('error', () => {});
  setTimeout(() => console.log('ready'), 200);
});
${SOURCE.replace("console.log('ready');", '')}`;
  const folder = makeFolder({});
  const wrapper = join(folder, 'few.sh');
  writeFileSync(wrapper, `#!/bin/sh\nulimit -n 40\nexec ${NODE} "$@"\n`, { mode: 0o755 });
  const program = new NodeProgram(source, 'app.js', {}, [], {}, wrapper);
  await program.line('ready');
  await expect(program.attach()).rejects.toMatchObject({
    code: 'AL_REFUSED',
    message: expect.stringMatching(/has \d+ descriptors left/),
  });
  expect(await program.ask('3')).toBe('3 -> 6');
});

it('refuses a stopped process, and one that somebody else is debugging, and touches neither', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  program.child.kill('SIGSTOP');
  await expect(program.attach()).rejects.toMatchObject({
    code: 'AL_ASLEEP',
    message: expect.stringContaining('is stopped'),
  });
  program.child.kill('SIGCONT');
  expect(await program.ask('3')).toBe('3 -> 6');
  expect(program.stderr).toBe('');
  const inspected = new NodeProgram(SOURCE, 'app.js', {}, ['--inspect=0']);
  await inspected.line('ready');
  const address = /ws:\/\/\S+/.exec(inspected.stderr)?.[0] ?? '';
  const port = Number(new URL(address).port);
  const WebSocket = require(resolve(__dirname, '..', '..', '..', 'node_modules', 'ws'));
  const other = new WebSocket(address);
  await new Promise((done) => other.once('open', done));
  await expect(inspected.attach()).rejects.toMatchObject({ code: 'AL_TAKEN' });
  other.terminate();
  while (connectedTo(port) > 0) {
    await new Promise((done) => setImmediate(done));
  }
  const attached = await inspected.attach();
  await attached.session.detach();
  // It was open before us, and is open still.
  expect(listeningPorts(inspected.pid).map((at) => at.port)).toContain(port);
});

/** Waits no longer for what does not come than the product usually does. */
async function atUsualPace(run: () => Promise<void>): Promise<void> {
  const usual = patient(1);
  setPatience(1);
  try {
    await run();
  } finally {
    setPatience(usual);
  }
}

it('closes what a signal opens that is answered too late', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  const own = listeningPorts(program.pid).length;
  // Its thread waits for something that is not JavaScript, for as long as it takes.
  const end = join(makeFolder({}), 'end');
  program.say(`block ${end}`);
  await atUsualPace(() =>
    expect(connectNode(process.env, program.pid)).rejects.toMatchObject({ code: 'AL_ASLEEP' }),
  );
  writeFileSync(end, '');
  await program.line('free');
  while (!program.stderr.includes('listening') || listeningPorts(program.pid).length > own) {
    await program.ask('1');
  }
});

it('closes what its signal has opened when the program stands still at that very moment', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  const own = listeningPorts(program.pid).length;
  await atUsualPace(async () => {
    const outcome = connectNode(process.env, program.pid).then(
      (socket) => {
        socket.destroy();
        return 'in time';
      },
      (error: { code: string }) => error.code,
    );
    let isOver = false;
    void outcome.then(() => {
      isOver = true;
    });
    // It may be open for so short a time that it is not seen.
    while (!isOver && listeningPorts(program.pid).length === own) {
      await new Promise((done) => setImmediate(done));
    }
    process.kill(program.pid, 'SIGSTOP');
    expect(['in time', 'AL_ASLEEP']).toContain(await outcome);
  });
  process.kill(program.pid, 'SIGCONT');
  while (listeningPorts(program.pid).length > own) {
    await program.ask('1');
  }
});
