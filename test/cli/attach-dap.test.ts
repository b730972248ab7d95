import { readdirSync } from 'node:fs';
import { connect } from 'node:net';
import { recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { StandIn } from '../support/stand-in.js';

const runFolder = useRunFolder();

const FRAME = { id: 1, name: 'work', line: 2, column: 1, source: { path: '/nowhere/a.py' } };

/** A server that can only stop: everything else is for the test to add. */
function makeServer(): StandIn {
  const server = new StandIn();
  server.on('setBreakpoints', (request) => {
    const asked = request.arguments.breakpoints as { line: number }[];
    server.respond(request, {
      breakpoints: asked.map(({ line }) => ({ id: line, verified: true, line })),
    });
  });
  server.on('threads', { threads: [{ id: 7, name: 'worker' }] });
  server.on('stackTrace', { stackFrames: [FRAME] });
  server.on('scopes', { scopes: [{ name: 'Locals', variablesReference: 5, expensive: false }] });
  server.on('variables', { variables: [{ name: 'n', value: '41', variablesReference: 0 }] });
  server.on('evaluate', (request) => {
    const result = request.arguments.expression === 'n > 40' ? 'True' : '41';
    server.respond(request, { result, variablesReference: 0 });
  });
  server.on('continue', {});
  return server;
}

const stopped = { reason: 'breakpoint', threadId: 7, hitBreakpointIds: [2] };

describe('amber attach --dap', () => {
  let server: StandIn;
  let listening: Awaited<ReturnType<StandIn['listen']>>;
  let where: string;

  beforeEach(async () => {
    server = makeServer();
    listening = await server.listen();
    where = `tcp:127.0.0.1:${listening.port}`;
  });
  afterEach(() => listening.close());

  const attach = (input: string, ...more: string[]) =>
    runAmber(['attach', '--dap', where, ...more], { input });

  it('sends the server’s own arguments, waits for a late `initialized`, and for an answer after it', async () => {
    server.on('attach', (request) => {
      setTimeout(() => server.event('initialized'), 200);
      server.on('configurationDone', (done) => {
        server.respond(done, {});
        server.respond(request, {});
      });
    });
    const { code, stdout } = await attach('threads\n', '--dap-attach', '{"port": 5678, "name": "the shop"}');
    expect(code).toBe(0);
    expect(stdout).toContain('attached to the shop');
    expect(stdout).toMatch(/7 +worker +running/);
    const request = server.received.find(({ command }) => command === 'attach');
    expect(request?.arguments).toMatchObject({ port: 5678, name: 'the shop' });
    expect(server.commands()).toContain('disconnect');
  });

  it('launches where the arguments say so, and shows what the program prints', async () => {
    server.on('launch', (request) => {
      server.respond(request, {});
      server.event('initialized');
    });
    server.on('threads', (request) => {
      server.event('output', { category: 'stdout', output: 'hello from the program\n' });
      server.respond(request, { threads: [] });
    });
    const { stdout } = await attach('threads\n', '--dap-attach', '{"request": "launch", "program": "a.py"}');
    expect(stdout).toContain('hello from the program');
    expect(server.commands()).toContain('launch');
    expect(server.commands()).not.toContain('attach');
  });

  it('does conditions for a server that has none, whatever seq it gives and events it makes up', async () => {
    server.on('setBreakpoints', (request) => {
      const asked = request.arguments.breakpoints as { line: number; condition?: string }[];
      expect(asked).toEqual([{ line: 2 }]);
      server.respond(request, { breakpoints: [{ id: 2, verified: false }] });
      server.event('somethingNew', { with: ['a', 'body'] });
      server.raw({
        type: 'event',
        seq: 1,
        event: 'breakpoint',
        body: { reason: 'changed', breakpoint: { id: 2, verified: true, line: 2 } },
      });
      server.event('stopped', stopped);
    });
    const amber = startAmber(['attach', '--dap', where, '--json']);
    amber.type(`break ${__filename}:2 when n > 40\nwait 60\nmarks\n= n\nvars\nresume\ndetach\n`);
    const { code, stdout } = await amber.ended;
    expect(code).toBe(0);
    const records = recordsOf(stdout);
    expect(records.find(({ kind }) => kind === 'stop')).toMatchObject({
      thread: { name: 'worker' },
      mark: 1,
    });
    const marks = records.filter((record) => record.kind === 'marks').at(-1);
    expect(marks).toMatchObject({ marks: [{ state: 'on', route: 'emulated', hits: 1 }] });
    expect(records.find(({ kind }) => kind === 'value')).toMatchObject({ value: '41' });
  });

  it('gives each process that the server asks for a session of its own', async () => {
    const child = makeServer();
    const sockets = listening;
    server.on('threads', (request) => {
      server.respond(request, { threads: [{ id: 7, name: 'worker' }] });
      sockets.next(child);
      server.raw({
        type: 'request',
        command: 'startDebugging',
        arguments: { request: 'attach', configuration: { name: 'child 1', key: 'abc' } },
      });
    });
    const amber = startAmber(['attach', '--dap', where]);
    amber.type(`break ${__filename}:2\nthreads\n`);
    await amber.shows('also attached: target 2 (child 1)');
    expect(child.received.find(({ command }) => command === 'attach')?.arguments).toMatchObject({
      key: 'abc',
    });
    await child.request('setBreakpoints');
    child.event('stopped', stopped);
    await amber.shows('also stopped: mark 1');
    amber.type('targets\ntarget 2\n= n\nresume\ndetach\n');
    const { code, stdout } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/▸ +1 +tcp:\S+ +running\n +2 +child 1 +paused/);
    const claimed = server.received.find(({ command }) => command === 'initialize')?.arguments;
    expect(claimed).toMatchObject({ supportsStartDebuggingRequest: true });
  });

  it('tells a server that dies in the middle of a message, and one that breaks the framing', async () => {
    server.on('threads', () => {
      server.bytes('Content-Length: 500\r\n\r\n{"seq":');
      server.end();
    });
    const died = await attach('threads\n');
    expect(died).toMatchObject({ code: 4, stdout: expect.stringContaining('has gone') });
  });

  it('says which server does not answer, and what is wrong with its arguments', async () => {
    listening.close();
    const nobody = await runAmber(['attach', '--dap', where]);
    expect(nobody).toMatchObject({
      code: 3,
      stderr: expect.stringContaining(`no DAP server answers at ${where}`),
    });
    const bad = await runAmber(['attach', '--dap', where, '--dap-attach', '{port: 1}']);
    expect(bad).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('--dap-attach is not a JSON object'),
    });
    const ended = await runAmber(['attach', '--dap', 'exit 3']);
    expect(ended.code).toBe(4);
    expect(ended.stderr).not.toContain('at ');
  });

  it('gives up on a server that is silent', async () => {
    server.on('initialize', () => undefined);
    const options = { input: '', env: { AMBER_PATIENCE: '1' } };
    const { code, stderr } = await runAmber(['attach', '--dap', where], options);
    expect(code).not.toBe(0);
    expect(stderr).toMatch(/did not|no answer/);
  });
});

it('our own adapter serves any DAP client: by its streams and on a port', async () => {
  const program = new NodeProgram(
    "const double = (n) => {\n  const result = n * 2;\n  return result;\n};\nrequire('node:readline').createInterface({ input: process.stdin }).on('line', (line) => console.log(line + ' -> ' + double(Number(line))));\nconsole.log('ready');",
  );
  await program.line('ready');
  const main = require.resolve('../../dist/src/cli/main.js');
  const over = async (where: string) => {
    const amber = startAmber(
      ['attach', '--dap', where, '--dap-attach', JSON.stringify({ pid: program.pid, token: 'skerrow' })],
      {
        cwd: program.folder,
      },
    );
    amber.type('break app.js:3 when n === 21\nwait 60\n');
    await amber.shows('is on');
    program.say('21');
    await amber.shows('next ▸');
    amber.type('= result\nresume\ndetach\n');
    const { stdout, code } = await amber.ended;
    expect(stdout).toContain('42  number');
    expect(code).toBe(0);
    expect(await program.ask('4')).toBe('4 -> 8');
  };
  await over(`${process.execPath} ${main} adapter javascript`);
  const env = { AMBER_TOKEN: 'skerrow' };
  const adapter = startAmber(['adapter', 'javascript', '--port', '0'], { env });
  const line = await adapter.shows('listening on');
  await over(/tcp:\S+/.exec(line)?.[0] ?? '');
  adapter.child.kill('SIGTERM');
  expect((await adapter.ended).code).toBe(143);
  await program.end();
});

it('an adapter on a port lets nobody in without the token', async () => {
  const without = await runAmber(['adapter', 'javascript', '--port', '0'], { env: { AMBER_TOKEN: '' } });
  expect(without.stderr).toContain('an adapter on a port asks for a token');
  expect(without.code).toBe(2);

  const program = new NodeProgram(
    "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => console.log(line));\nconsole.log('ready');",
  );
  await program.line('ready');
  const env = { AMBER_TOKEN: 'skerrow' };
  const adapter = startAmber(['adapter', 'javascript', '--port', '0'], { env });
  const port = Number(/tcp:127.0.0.1:(\d+)/.exec(await adapter.shows('listening on'))?.[1]);
  const frame = (message: object) => {
    const body = JSON.stringify({ seq: 1, type: 'request', ...message });
    return `Content-Length: ${body.length}\r\n\r\n${body}`;
  };
  const attach = (more: object) => frame({ command: 'attach', arguments: { pid: program.pid, ...more } });
  const say = async (text: string) => {
    const socket = connect(port, '127.0.0.1');
    let answer = '';
    socket.on('error', () => undefined);
    socket.on('data', (chunk) => {
      answer += chunk;
    });
    socket.write(text);
    await new Promise((done) => socket.once('close', done));
    return answer;
  };
  const handles = () => readdirSync(`/proc/${adapter.child.pid}/fd`).length;
  const before = handles();
  for (const text of [
    attach({}),
    attach({ token: 'holm' }),
    frame({ command: 'initialize' }) + attach({ token: 7 }),
    frame({ command: 'evaluate', arguments: { expression: '1' } }),
    `POST / HTTP/1.1\r\n${attach({ token: 'skerrow' })}`,
    'x'.repeat(5_000),
    frame({ command: 'initialize', arguments: { more: 'x'.repeat(70_000) } }),
  ]) {
    expect(await say(text)).not.toContain('"success":true,"body":{}');
  }
  const inside = connect(port, '127.0.0.1');
  const answered = new Promise<string>((done) => {
    let all = '';
    inside.on('data', (chunk) => {
      all += chunk;
      if (all.includes('"command":"attach"')) {
        done(all);
      }
    });
  });
  inside.write(frame({ command: 'initialize' }) + attach({ token: 'skerrow' }));
  expect(await answered).toContain('"command":"attach","success":true');
  const left = new Promise((done) => inside.once('close', done));
  inside.write(frame({ command: 'disconnect' }));
  await left;
  // Ten that go in the middle of attaching, some before and some after the first answer.
  for (let client = 0; client < 10; client += 1) {
    const gone = connect(port, '127.0.0.1');
    gone.on('error', () => undefined);
    gone.write(frame({ command: 'initialize' }) + attach({ token: 'skerrow' }));
    if (client % 2 > 0) {
      await new Promise((done) => gone.once('data', done));
    }
    gone.destroy();
  }
  while (handles() > before) {
    await new Promise((done) => setTimeout(done, 20));
  }
  while (readdirSync(runFolder()).some((name) => name.startsWith(`${program.pid}.`))) {
    await new Promise((done) => setTimeout(done, 20));
  }
  adapter.child.kill('SIGTERM');
  await adapter.ended;
  await program.end();
});
