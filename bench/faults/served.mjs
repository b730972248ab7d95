/* A program under `amber run` that clients keep asking while something is done to it. */
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { get } from 'node:http';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { SERVICES } from './services.mjs';

export const DIST = resolve(import.meta.dirname, '..', '..', 'dist');
export const AMBER = join(DIST, 'src', 'cli', 'main.js');
if (!existsSync(AMBER)) {
  throw new Error(`there is no ${AMBER}: npm run build`);
}

export const pause = (milliseconds) => new Promise((done) => setTimeout(done, milliseconds));

/** What Node and PHP's server print by themselves. */
const USUAL =
  /^.*(Accepted|Closing|started)\n|^Debugger.*\n|^For help.*\n|^Waiting for the debugger.*\n|^Starting inspector.*\n/gm;

const childrenOf = (pid) =>
  readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ').filter(Boolean).map(Number);

export async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

/**
 * Starts the service of a runtime, and two clients that ask it all the while; `answered` is called with every answer:
 * whether it was right, and when it was asked for. A service that ends ends this process with 1.
 */
export async function serve(runtime, answered) {
  const service = SERVICES[runtime];
  const folder = mkdtempSync(join(tmpdir(), 'amber-served-'));
  const env = { ...process.env, AMBER_RUN_DIR: mkdtempSync(join(tmpdir(), 'amber-run-')) };
  const file = join(folder, service.file);
  writeFileSync(file, service.source);
  const port = await freePort();
  let said = '';
  let isOver = false;
  const child = spawn(process.execPath, [AMBER, 'run', '--', ...service.start(String(port))], {
    cwd: folder,
    env: { ...env, PHP_CLI_SERVER_WORKERS: '4' },
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  child.stderr.on('data', (chunk) => (said = `${said}${chunk}`.slice(-4000)));
  child.once('exit', (code, signal) => {
    if (!isOver) {
      console.log(`the service ended: ${signal ?? code}\n${said}`);
      process.exit(1);
    }
  });
  const ask = (n) =>
    new Promise((done) => {
      get({ host: '127.0.0.1', port, path: `/${n}`, agent: false }, (response) => {
        let text = '';
        response.on('data', (chunk) => (text += chunk));
        response.on('end', () => done(text));
      }).on('error', (error) => done(error.message));
    });
  while ((await ask(1)) !== '2') {
    await pause(50);
  }
  const [pid] = childrenOf(child.pid);
  while (childrenOf(pid).length < (service.workers ?? 0)) {
    await pause(50);
  }
  const targets = service.targets?.(pid, childrenOf(pid)) ?? [pid];
  /** Every process of the program. */
  const processes = [pid, ...childrenOf(pid)];
  /** By client when its request began that is not answered yet. */
  const waiting = new Map();
  const client = async (first) => {
    for (let n = first; !isOver; n += 2) {
      const began = performance.now();
      waiting.set(first, began);
      const text = await ask(n);
      waiting.delete(first);
      answered(text === String(n * 2), began);
      await pause(5);
    }
  };
  const clients = [client(1), client(2)];
  const line = service.source.split('\n').findIndex((text) => text.includes('answer = twice')) + 1;
  return {
    ...{ pid, targets: targets.map(String), processes, folder, env, file, line, waiting },
    /** What was printed into the program's output that it or its runtime does not print by itself. */
    printed: () => said.replace(USUAL, ''),
    /** The next client: whether it can attach and leave, and what it says if not. */
    attach: () =>
      new Promise((done) => {
        const amber = spawn(process.execPath, [AMBER, 'attach', ...targets.map(String)], {
          cwd: folder,
          env,
        });
        let text = '';
        amber.stdout.on('data', (chunk) => (text += chunk));
        amber.stderr.on('data', (chunk) => (text += chunk));
        amber.stdin.end('marks\ndetach\n');
        amber.once('exit', (code) => done(code === 0 ? 'works' : `exit code ${code}: ${text}`));
      }),
    async end() {
      isOver = true;
      await Promise.race([Promise.all(clients), pause(2_000)]);
      // The workers of PHP's server do not end with it.
      for (const each of [...childrenOf(pid), pid]) {
        process.kill(each, 'SIGKILL');
      }
      child.kill('SIGKILL');
      for (const each of [folder, env.AMBER_RUN_DIR].filter(existsSync)) {
        rmSync(each, { recursive: true, force: true });
      }
    },
  };
}
