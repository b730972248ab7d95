/*
 * Sends frames that are nearly right to a program that is being served: it is to answer its users throughout, and its
 * endpoint is to take the next client.
 * node bench/faults/frames.mjs python|ruby|node|php|client [--frames 20000] [--seed 1]
 * `client`: it is amber that is sent such frames, by a DAP server.
 */
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { connect, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { FRAMES, mutated, randomFrom } from './mutations.mjs';
import { AMBER, DIST, pause, serve } from './served.mjs';

/** Frames that one connection sends at most. */
const ON_ONE = 200;
/** Milliseconds within which a request is to be answered, and a connection to be over. */
const ANSWERED = 2_000 * Number(process.env.AMBER_PATIENCE || 1);
const OVER = 5_000 * Number(process.env.AMBER_PATIENCE || 1);

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: { frames: { type: 'string', default: '20000' }, seed: { type: 'string', default: '1' } },
});
const runtime = positionals[0];
const random = randomFrom(Number(options.seed));

const request = (command, args) => ({ seq: 1, type: 'request', command, arguments: args });
const REQUESTS = (file, line) => [
  request('initialize', { adapterID: 'x', amber: { version: 1 }, linesStartAt1: true }),
  request('attach', {
    requests: true,
    output: true,
    veil: { names: ['x'], off: false },
    foreign: ['**/y/**'],
  }),
  request('configurationDone', {}),
  request('setBreakpoints', {
    source: { path: file },
    breakpoints: [
      { line, condition: 'n < 0', amber: { kind: 'break', values: [] } },
      {
        line,
        logMessage: 'n {n}',
        hitCondition: '>= 2',
        amber: { kind: 'log', values: ['n', 'n + 1'], limits: { perSecond: 10 } },
      },
      { line: line - 1, amber: { kind: 'count', values: [], only: { method: 'GET', path: '/*' } } },
    ],
  }),
  request('setFunctionBreakpoints', { breakpoints: [{ name: 'twice', condition: 'n < 0' }] }),
  request('setExceptionBreakpoints', {
    filters: [],
    filterOptions: [{ filterId: 'raised', condition: 'ValueError' }],
  }),
  request('amberRequestBreakpoints', { breakpoints: [{ method: 'PUT', path: '/nowhere' }] }),
  request('amberMarks', {}),
  request('amberHeartbeat', {}),
  request('amberForeign', { globs: ['**/z'] }),
  request('breakpointLocations', { source: { path: file }, line }),
  request('threads', {}),
  request('stackTrace', { threadId: 1, startFrame: 0, levels: 20 }),
  request('scopes', { frameId: 1 }),
  request('variables', { variablesReference: 1, start: 0, count: 10, filter: 'named' }),
  request('evaluate', { expression: '1 + 1', frameId: 1, context: 'repl' }),
  request('setExpression', { expression: 'n', value: '1', frameId: 1 }),
  request('completions', { text: 'n', column: 1, frameId: 1 }),
  request('continue', { threadId: 1 }),
  request('next', { threadId: 1 }),
  request('source', { source: { path: file }, sourceReference: 0 }),
  request('loadedSources', {}),
  request('disconnect', { terminateDebuggee: false }),
];
const ENGINE = [
  ['Amber.hello', { pid: 1, hold: { milliseconds: 10, times: 1 } }],
  ['Amber.beat', {}],
  ['Amber.keep', { scriptId: '1', steps: [[[1, 'x']]] }],
  ['Amber.restored', { scriptId: '1' }],
  ['Amber.left', {}],
  ['Amber.engineStop', { breakpointId: '1:2', number: 3 }],
  ['Debugger.enable', {}],
  ['Debugger.getPossibleBreakpoints', { start: { scriptId: '1', lineNumber: 1 } }],
  ['Runtime.evaluate', { expression: '1', silent: true }],
  ['Runtime.getHeapUsage', {}],
  ['Debugger.resume', {}],
  ['Amber.leave', {}],
].map(([method, params], id) => ({ id, method, params }));
const PACKETS = [
  '<init xmlns="urn:debugger_protocol_v1" appid="1" idekey="" language="PHP" protocol_version="1.0" fileuri="file:///x.php"/>',
  '<response xmlns="urn:debugger_protocol_v1" command="status" transaction_id="1" status="break" reason="ok"/>',
  `<notify xmlns="urn:debugger_protocol_v1" name="amber_hits" encoding="base64">${Buffer.from('{"hits":[[1,2,"x"]],"dropped":{}}').toString('base64')}</notify>`,
  `<notify xmlns="urn:debugger_protocol_v1" name="amber_counts" encoding="base64">${Buffer.from('{"marks":[{"id":1,"hits":1}]}').toString('base64')}</notify>`,
  '<notify xmlns="urn:debugger_protocol_v1" name="amber_request" encoding="base64">e30=</notify>',
];
const EVENTS = [
  {
    seq: 1,
    type: 'response',
    request_seq: 1,
    command: 'initialize',
    success: true,
    body: { supportsConfigurationDoneRequest: true, amber: { version: 1, runtime: 'python' } },
  },
  { seq: 2, type: 'event', event: 'initialized', body: {} },
  { seq: 3, type: 'response', request_seq: 2, command: 'attach', success: true },
  { seq: 4, type: 'response', request_seq: 3, command: 'configurationDone', success: true },
  {
    seq: 5,
    type: 'event',
    event: 'stopped',
    body: { reason: 'breakpoint', threadId: 1, hitBreakpointIds: [1], allThreadsStopped: false },
  },
  { seq: 6, type: 'event', event: 'output', body: { category: 'stdout', output: 'x\n' } },
  {
    seq: 7,
    type: 'event',
    event: 'breakpoint',
    body: { reason: 'changed', breakpoint: { id: 1, verified: true, line: 2 } },
  },
  {
    seq: 8,
    type: 'event',
    event: 'amberHits',
    body: { first: 1, epoch: 1, hits: [[1, 2, 3, ['x', 'str']]], dropped: {} },
  },
  { seq: 9, type: 'event', event: 'thread', body: { reason: 'started', threadId: 1 } },
  {
    seq: 10,
    type: 'response',
    request_seq: 4,
    command: 'stackTrace',
    success: true,
    body: { stackFrames: [{ id: 1, name: 'x', line: 1, column: 1, source: { path: '/x.py' } }] },
  },
  { seq: 11, type: 'event', event: 'terminated', body: {} },
];

/** Sends so many frames on a connection and waits until it is over. @returns whether it was in time */
async function send(socket, corpus, frame, count, first = []) {
  let isOver = false;
  const over = new Promise((done) => socket.once('close', done)).then(() => (isOver = true));
  socket.on('error', () => undefined);
  socket.resume();
  for (const message of first) {
    socket.write(frame(JSON.stringify(message)));
  }
  for (let sent = 0; sent < count && !isOver; sent += 1) {
    socket.write(mutated(corpus, frame, random));
    if (sent % 20 === 19) {
      await pause(1);
    }
  }
  socket.end();
  await Promise.race([over, pause(OVER)]);
  socket.destroy();
  return isOver;
}

const seen = { frames: 0, connections: 0, requests: 0, wrong: 0, late: 0, longest: 0, kept: 0 };

async function fuzzService() {
  const service = await serve(runtime, (isRight, began) => {
    const took = performance.now() - began;
    seen.requests += 1;
    seen.wrong += isRight ? 0 : 1;
    seen.late += took > ANSWERED ? 1 : 0;
    seen.longest = Math.max(seen.longest, Math.round(took));
  });
  process.env.AMBER_RUN_DIR = service.env.AMBER_RUN_DIR;
  const way = await WAYS[runtime](service);
  for (let left = Number(options.frames); left > 0; ) {
    const count = Math.min(left, 1 + Math.floor(random() * ON_ONE));
    const socket = await way.connect();
    seen.kept += (await send(socket, way.corpus, way.frame, count, way.first)) ? 0 : 1;
    seen.connections += 1;
    seen.frames += count;
    left -= count;
    if (seen.connections % 20 === 0) {
      process.stderr.write(`\r${JSON.stringify(seen)} `);
    }
  }
  await way.end?.();
  await pause(1_000);
  const next = await service.attach();
  await service.end();
  return { next, printed: service.printed() };
}

/** Connects, and again while nobody listens. */
async function reach(connectOnce) {
  for (let attempt = 0; ; attempt += 1) {
    try {
      return await connectOnce();
    } catch (error) {
      if (attempt === 20) {
        throw error;
      }
      await pause(100);
    }
  }
}

const connected = (path) =>
  new Promise((done, failed) => {
    const socket = connect({ path });
    socket.once('connect', () => done(socket));
    socket.once('error', failed);
  });

/** Python and Ruby: the agent's own endpoint, which is woken by a signal. */
async function agentWay({ pid, env, file, line }) {
  const description = () => JSON.parse(readFileSync(join(env.AMBER_RUN_DIR, `${pid}.json`), 'utf8'));
  const wake = async () => {
    const { socket, signal } = description();
    if (!existsSync(socket)) {
      process.kill(pid, signal);
      await pause(20);
    }
    return await connected(socket);
  };
  const corpus = REQUESTS(file, line);
  return { corpus, frame: FRAMES.dap, first: corpus.slice(0, 3), connect: () => reach(wake) };
}

const WAYS = {
  python: agentWay,
  ruby: agentWay,
  node: async ({ pid }) => {
    const { connectNode } = await import(join(DIST, 'runtimes', 'node', 'process', 'agent.js'));
    return {
      corpus: ENGINE,
      frame: FRAMES.lines,
      first: ENGINE.slice(0, 1),
      connect: () => reach(() => connectNode(process.env, pid)),
    };
  },
  php: async ({ pid, env, folder, line }) => {
    const amber = spawn(process.execPath, [AMBER, 'attach', String(pid)], { cwd: folder, env });
    let text = '';
    amber.stdout.on('data', (chunk) => (text += chunk));
    amber.stderr.on('data', (chunk) => (text += chunk));
    amber.stdin.write(`count service.php:${line}\n`);
    while (!text.includes('is on')) {
      await pause(20);
    }
    return {
      corpus: PACKETS,
      frame: FRAMES.dbgp,
      first: [],
      connect: () => reach(() => connected(join(env.AMBER_RUN_DIR, 'php', `${pid}.sock`))),
      end: () =>
        new Promise((done) => {
          amber.once('exit', (code) => {
            seen.amber = code;
            if (/defect|Error:/.test(text)) {
              console.log(text.slice(-2000));
            }
            done();
          });
          amber.stdin.end('detach\n');
        }),
    };
  },
};

/** A DAP server that says nearly what it should: amber is to end, with a sentence. */
async function fuzzClient() {
  const wrong = [];
  for (let left = Number(options.frames); left > 0; ) {
    const server = createServer((socket) => {
      socket.on('error', () => undefined);
      let at = 0;
      socket.on('data', () => {
        for (let times = 0; times < 20; times += 1) {
          // The handshake goes through now and then, so that what comes after it is seen as well.
          const isRight = at < 4 && random() < 0.8;
          const event = EVENTS[Math.min(at, EVENTS.length - 1)];
          socket.write(isRight ? FRAMES.dap(JSON.stringify(event)) : mutated(EVENTS, FRAMES.dap, random));
          at += 1;
          seen.frames += 1;
          left -= 1;
        }
        if (at > ON_ONE) {
          socket.end();
        }
      });
    });
    await new Promise((done) => server.listen(0, '127.0.0.1', done));
    const where = `tcp:127.0.0.1:${server.address().port}`;
    const amber = spawn(process.execPath, [AMBER, 'attach', '--dap', where], { cwd: tmpdir() });
    let text = '';
    amber.stdout.on('data', (chunk) => (text += chunk));
    amber.stderr.on('data', (chunk) => (text += chunk));
    amber.stdin.end('threads\nstack\nvars\nbreak /x.py:1\nmarks\ndetach\n');
    const late = setTimeout(() => amber.kill('SIGKILL'), 30_000);
    const code = await new Promise((done) => amber.once('exit', (number, signal) => done(number ?? signal)));
    clearTimeout(late);
    server.close();
    seen.connections += 1;
    if (code === 'SIGKILL' || code === 70 || /defect|^ {4}at /m.test(text)) {
      wrong.push(`${code}: ${text.slice(-600)}`);
    }
    process.stderr.write(`\r${JSON.stringify(seen)} ${wrong.length} wrong `);
  }
  return { wrong: wrong.slice(0, 5), count: wrong.length };
}

const ended = runtime === 'client' ? await fuzzClient() : await fuzzService();
console.log(`\n${runtime}: ${JSON.stringify({ ...seen, ...ended }, null, 1)}`);
process.exit(seen.wrong + seen.late + (ended.count ?? 0) > 0 || (ended.next ?? 'works') !== 'works' ? 1 : 0);
