import { once } from 'node:events';
import { existsSync, mkdtempSync, watch } from 'node:fs';
import { createServer, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Holder } from '../../src/cli/parked/holder.js';
import { endSession } from '../../src/cli/parked/sessions.js';
import { connected } from '../../src/cli/parked/terminal.js';
import { setPatience } from '../../src/core/patience.js';

const standing = { targets: [], marks: 0, paused: 0, pauseLimit: 0 };
const path = () => join(mkdtempSync(join(tmpdir(), 'amber-parked-')), 'parked-1.sock');
/** A session as its socket tells it. */
const session = (at: string) => ({ ...standing, pid: 1, since: 0, terminal: null, unread: 0, path: at });

/** The holder takes the process's streams, which are put back. */
const streams = ['stdin', 'stdout', 'stderr'] as const;
const own = streams.map((name) => Object.getOwnPropertyDescriptor(process, name) ?? {});
afterEach(() => {
  setPatience(1);
  for (const [index, name] of streams.entries()) {
    Object.defineProperty(process, name, { ...own[index], configurable: true });
  }
});

it('is there by its name only when somebody listens', async () => {
  const at = path();
  const seen = new AbortController();
  const names: string[] = [];
  const folder = watch(join(at, '..'), { signal: seen.signal });
  const started = Holder.start(at);
  const joined = new Promise<Socket>((done) => {
    folder.on('change', (_what, name) => {
      names.push(`${name}`);
      if (existsSync(at)) {
        seen.abort();
        void connected(at).then((socket) => {
          socket.write(`${JSON.stringify({ join: { columns: 80, rows: 24, pid: 1, takes: false } })}\n`);
          done(socket);
        });
      }
    });
  });
  const terminal = await joined;
  expect(names[0]).toBe('parked-1.sock.new');
  const holder = await started;
  await holder.end(0, 0);
  expect(existsSync(at)).toBe(false);
  terminal.destroy();
});

it('ends what is held as soon as there is something, when it was to end before', async () => {
  // The process that keeps a session ends with it; here its connections are closed by nobody.
  setPatience(0.1);
  const at = path();
  const started = Holder.start(at);
  while (!existsSync(at)) {
    await new Promise((done) => setImmediate(done));
  }
  const gone = endSession(session(at));
  const holder = await started;
  const end = jest.fn();
  holder.hold({ standing: () => standing, joined: () => undefined, end });
  expect(end).toHaveBeenCalledTimes(1);
  await holder.end(0, 0);
  expect(await gone).toBe(false);
});

it('is not waited for without an end', async () => {
  setPatience(0.01);
  const at = path();
  const server = createServer().listen(at);
  await once(server, 'listening');
  const [deaf] = [once(server, 'connection')];
  expect(await endSession(session(at))).toBe(false);
  const [socket] = await deaf;
  await once(socket.resume(), 'close');
  server.close();
});
