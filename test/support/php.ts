import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { agentEnvironment, arranged } from '../../runtimes/list.js';
import { PhpAdapter } from '../../runtimes/php/adapter/adapter.js';
import { phpFacts } from '../../runtimes/php/process.js';
import { messagePair } from '../../src/adapters/pair.js';
import { Session } from '../../src/core/session/session.js';
import { Attached } from './attached.js';
import { realClock } from './clock.js';
import { LineProgram, makeFolder } from './program.js';

const FPM = ['php-fpm8.2', 'php-fpm8.3', 'php-fpm8.4', 'php-fpm'].map((name) => `/usr/sbin/${name}`);

/** Whether this machine has a PHP from 8.0 on (and php-fpm); in CI it must. */
export function phpHas(...what: ('cli' | 'fpm')[]): boolean {
  try {
    execFileSync('php', ['-r', 'exit(PHP_VERSION_ID >= 80000 && extension_loaded("tokenizer") ? 0 : 1);'], {
      stdio: 'ignore',
    });
    if (!what.includes('fpm') || fpmProgram() !== undefined) {
      return true;
    }
  } catch {
    // Told below.
  }
  if (process.env.CI) {
    throw new Error(`no PHP from 8.0 on with ${what.join(', ')} was found`);
  }
  return false;
}

/** The tests of a group, or none where there is no such PHP. */
export function describePhp(name: string, what: ('cli' | 'fpm')[], tests: () => void): void {
  (phpHas(...what) ? describe : describe.skip)(name, tests);
}

function fpmProgram(): string | undefined {
  return FPM.find((path) => existsSync(path));
}

/** Attaches to the requests of a process as `amber attach` does. */
export async function attachToPhp(
  runFolder: string,
  pid: number,
  args: Record<string, unknown> = {},
): Promise<Attached> {
  const [ours, adapters] = messagePair();
  const adapter = new PhpAdapter(adapters, { runFolder, facts: phpFacts });
  const session = new Session(ours, { clock: realClock, attach: { pid, ...args } });
  const attached = new Attached(session);
  await session.open(() => attached.sync.send());
  void adapter.left;
  return attached;
}

export interface PhpOptions {
  env?: Record<string, string>;
  /** A router, among the files. */
  router?: string;
  /** Options of the interpreter. */
  options?: string[];
}

/** PHP's own server with files of the test's own, each request with our gate before it. */
export class PhpServer extends LineProgram {
  url = '';

  static async start(files: Record<string, string>, options: PhpOptions = {}): Promise<PhpServer> {
    const folder = makeFolder(files);
    const router = options.router === undefined ? [] : [join(folder, options.router)];
    const plain = ['php', ...(options.options ?? []), '-S', '127.0.0.1:0', ...router];
    const { command, added } = arranged(plain);
    const env = { ...process.env, ...agentEnvironment(process.env), ...added, ...options.env };
    const server = new PhpServer(folder, command[0] ?? 'php', command.slice(1), { env });
    server.url = await server.#listens();
    return server;
  }

  async #listens(): Promise<string> {
    const isOver = this.exited.then(() => {
      throw new Error(`php -S has ended: ${this.stderr}`);
    });
    isOver.catch(() => undefined);
    for (;;) {
      const url = /Development Server \((http:\S+)\) started/.exec(this.stderr)?.[1];
      if (url !== undefined) {
        return url;
      }
      await Promise.race([isOver, new Promise((done) => this.child.stderr?.once('data', done))]);
    }
  }

  path(name = 'index.php'): string {
    return join(this.folder, name);
  }

  lineOf(text: string, name = 'index.php'): number {
    const lines = readFileSync(this.path(name), 'utf8').split('\n');
    return lines.findIndex((line) => line.includes(text)) + 1;
  }

  /** Changes a file between two requests. */
  write(name: string, text: string): void {
    writeFileSync(this.path(name), text);
  }

  /** The body of the answer, as one connection of its own. */
  async get(path = '/', init: RequestInit = {}): Promise<string> {
    const headers = { Connection: 'close', ...(init.headers as Record<string, string>) };
    return await (await fetch(this.url + path, { ...init, headers })).text();
  }
}

/** php-fpm with some workers, behind a FastCGI client. */
export class PhpFpm extends LineProgram {
  /**
   * @param as another user whom its workers run as, what is in its environment besides, whether it is started without
   * the agent, and lines for its pool
   */
  static async start(
    files: Record<string, string>,
    workers = 2,
    options: string[] = [],
    as: { user?: string; env?: Record<string, string>; isBare?: boolean; pool?: string[] } = {},
  ): Promise<PhpFpm> {
    const folder = makeFolder(files);
    if (as.user !== undefined) {
      chmodSync(folder, 0o755);
    }
    const socket = join(folder, 'fpm.sock');
    const isRoot = process.getuid?.() === 0;
    writeFileSync(
      join(folder, 'fpm.conf'),
      [
        '[global]',
        `error_log = ${join(folder, 'fpm.log')}`,
        'daemonize = no',
        '[www]',
        ...(isRoot ? [`user = ${as.user ?? 'root'}`, `group = ${as.user ?? 'root'}`] : []),
        `listen = ${socket}`,
        'pm = static',
        `pm.max_children = ${workers}`,
        ...(as.pool ?? []),
        '',
      ].join('\n'),
    );
    const base = { ...process.env, ...as.env };
    const env = as.isBare ? base : { ...base, ...agentEnvironment(base) };
    const args = ['-y', join(folder, 'fpm.conf'), '-F', ...(isRoot ? ['-R'] : []), ...options];
    const fpm = new PhpFpm(folder, fpmProgram() ?? 'php-fpm', args, { env });
    const isOver = fpm.exited.then(() => {
      throw new Error(`php-fpm has ended: ${fpm.stderr}`);
    });
    while (!(await Promise.race([canConnect(socket), isOver]))) {
      await new Promise((done) => setTimeout(done, 10));
    }
    isOver.catch(() => undefined);
    return fpm;
  }

  /** Its workers end with it only when it is asked to end. */
  override async end(): Promise<void> {
    this.child.kill('SIGTERM');
    await this.exited;
    await super.end();
  }

  path(name = 'index.php'): string {
    return join(this.folder, name);
  }

  /** Sends one request through FastCGI; gives the body. */
  async get(target = '/', script = 'index.php', headers: Record<string, string> = {}): Promise<string> {
    const [path = '', query = ''] = target.split('?');
    const parameters: Record<string, string> = {
      GATEWAY_INTERFACE: 'CGI/1.1',
      SERVER_PROTOCOL: 'HTTP/1.1',
      REQUEST_METHOD: 'GET',
      REQUEST_URI: target,
      DOCUMENT_ROOT: this.folder,
      SCRIPT_NAME: path,
      SCRIPT_FILENAME: this.path(script),
      QUERY_STRING: query,
      ...headers,
    };
    const answer = await fastCgi(join(this.folder, 'fpm.sock'), parameters);
    return answer.slice(answer.indexOf('\r\n\r\n') + 4);
  }
}

function canConnect(path: string): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect(path);
    socket.once('connect', () => {
      socket.destroy();
      resolve(true);
    });
    socket.once('error', () => resolve(false));
  });
}

/** One request of FastCGI 1.0 without a body; gives what the application wrote to its output. */
function fastCgi(path: string, parameters: Record<string, string>): Promise<string> {
  const record = (type: number, content: Buffer) =>
    Buffer.concat([Buffer.from([1, type, 0, 1, content.length >> 8, content.length & 255, 0, 0]), content]);
  const length = (text: string) => {
    const bytes = Buffer.byteLength(text);
    return bytes < 128
      ? Buffer.from([bytes])
      : Buffer.from([(bytes >> 24) | 128, bytes >> 16, bytes >> 8, bytes]);
  };
  const pairs = Object.entries(parameters).map(([name, value]) =>
    Buffer.concat([length(name), length(value), Buffer.from(name + value)]),
  );
  return new Promise((resolve, reject) => {
    const socket = connect(path);
    let received = Buffer.alloc(0);
    socket.on('data', (chunk: Buffer) => {
      received = Buffer.concat([received, chunk]);
    });
    socket.once('error', reject);
    socket.once('close', () => {
      const output: Buffer[] = [];
      for (let at = 0; at + 8 <= received.length; ) {
        const size = received.readUInt16BE(at + 4);
        if (received[at + 1] === 6) {
          output.push(received.subarray(at + 8, at + 8 + size));
        }
        at += 8 + size + (received[at + 6] ?? 0);
      }
      resolve(Buffer.concat(output).toString());
    });
    socket.write(
      Buffer.concat([
        record(1, Buffer.from([0, 1, 0, 0, 0, 0, 0, 0])),
        record(4, Buffer.concat(pairs)),
        record(4, Buffer.alloc(0)),
        record(5, Buffer.alloc(0)),
      ]),
    );
  });
}
