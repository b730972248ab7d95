import { readdirSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { freePort, sessionOnPort, useRunFolder } from '../test/support/attached.js';
import type { LineProgram } from '../test/support/program.js';
import { Program, pythons } from '../test/support/python.js';
import { RubyProgram } from '../test/support/ruby.js';

useRunFolder();

const PYTHON = `import sys
print('ready', flush=True)
for line in sys.stdin:
    print('echo', line.strip(), flush=True)
`;
const RUBY = '$stdout.sync = true\nputs \'ready\'\nwhile (line = gets)\n  puts "echo #{line}"\nend\n';

const STARTS: [string, (env: Record<string, string>) => LineProgram][] = [
  ['python', (env) => new Program(pythons().at(-1)?.path ?? 'python3', PYTHON, {}, { env })],
  ['ruby', (env) => new RubyProgram(RUBY, {}, { env })],
];

const frame = (body: string) => `Content-Length: ${Buffer.byteLength(body)}\r\n\r\n${body}`;
/** What somebody without the token may say. */
const HOSTILE: Record<string, string> = {
  'an odd command': frame('{"type":"request","seq":1,"command":[]}'),
  'another command': frame('{"type":"request","seq":1,"command":"threads"}'),
  'a wrong token': frame('{"type":"request","seq":1,"command":"attach","arguments":{"token":"holm"}}'),
  'no token': frame('{"type":"request","seq":1,"command":"attach","arguments":[]}'),
  'deep nesting': frame('['.repeat(30_000)),
  'deep nesting in an object': frame(`{"a":${'['.repeat(30_000)}`),
  'no JSON': frame('\u0000\u00ff'),
  'no object': frame('7'),
  'no length': 'Content-Type: x\r\n\r\n',
  'a huge length': 'Content-Length: 99999999999\r\n\r\n',
  'a long header': 'x'.repeat(70_000),
  'much of a message': `Content-Length: 60000000\r\n\r\n${'x'.repeat(70_000)}`,
  HTTP: 'GET / HTTP/1.1\r\nHost: localhost\r\n\r\n',
};

describe.each(STARTS)('a TCP endpoint of %s', (_name, start) => {
  let program: LineProgram;
  let port: number;
  const sockets: Socket[] = [];

  function knock(text = ''): { socket: Socket; closed: Promise<void> } {
    const socket = connect(port, '127.0.0.1');
    sockets.push(socket);
    socket.on('error', () => undefined);
    socket.resume();
    socket.write(text);
    return { socket, closed: new Promise((done) => socket.once('close', () => done())) };
  }

  /** Waits until so many of them have been closed. */
  async function many(knocks: { closed: Promise<void> }[], count: number): Promise<void> {
    let closed = 0;
    await new Promise<void>((done) => {
      for (const each of knocks) {
        void each.closed.then(() => {
          closed += 1;
          if (closed === count) {
            done();
          }
        });
      }
    });
  }

  async function enter() {
    const session = await sessionOnPort(port, 'skerrow');
    await session.open(async () => undefined);
    return session;
  }

  beforeEach(async () => {
    port = await freePort();
    program = start({ AMBER_LISTEN: `127.0.0.1:${port}`, AMBER_TOKEN: 'skerrow' });
    await program.line('ready');
    await (await enter()).detach();
  });
  afterEach(async () => {
    for (const socket of sockets.splice(0)) {
      socket.destroy();
    }
    await program.end();
  });

  it('lets whoever has the token in, however many others are there', async () => {
    const handles = () => readdirSync(`/proc/${program.pid}/fd`).length;
    const before = handles();
    const idle = Array.from({ length: 60 }, () => knock());
    await many(idle, 50);
    expect(handles() - before).toBeLessThanOrEqual(12);
    const session = await enter();
    expect(await session.threads()).toHaveLength(1);
    // Those who are left may stay for some seconds only, whether somebody is attached or not.
    await Promise.all(idle.map(({ closed }) => closed));
    expect(await session.threads()).toHaveLength(1);
    const second = await sessionOnPort(port, 'skerrow');
    await expect(second.open(async () => undefined)).rejects.toThrow('already attached');
    await session.detach();
    expect(await program.ask('still')).toBe('echo still');
  });

  it('closes a connection that says anything else, and nothing besides', async () => {
    const session = await enter();
    for (const [name, text] of Object.entries(HOSTILE)) {
      const { closed } = knock(text);
      await closed;
      expect({ name, threads: (await session.threads()).length }).toEqual({ name, threads: 1 });
    }
    await session.detach();
    await Promise.all(Object.values(HOSTILE).map(async (text) => await knock(text).closed));
    await (await enter()).detach();
    expect(await program.ask('still')).toBe('echo still');
    expect(program.stderr).toBe('');
  });
});
