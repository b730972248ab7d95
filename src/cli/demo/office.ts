import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { z } from 'zod';
import { agentEnvironment } from '../../../runtimes/list.js';
import { AmberError } from '../../core/errors.js';
import { patient } from '../../core/patience.js';
import { INSTALLATION } from '../../installation.js';

/** The ferry office's files. */
export const DEMO_FOLDER = join(INSTALLATION, 'demo');

/** Milliseconds a service may take to say that it listens. */
const START_TIMEOUT = 10_000;

const requestSchema = z.object({
  says: z.string(),
  service: z.string(),
  method: z.string(),
  path: z.string(),
  body: z.record(z.string(), z.unknown()).optional(),
  form: z.record(z.string(), z.string()).optional(),
});
export type DemoRequest = z.infer<typeof requestSchema>;

/** A running service of the office. */
export interface Service {
  name: ServiceName;
  language: string;
  url: string;
  pid: number;
  stop(): Promise<void>;
}

/** The named requests of a service. */
export function readRequests(service: string): Record<string, DemoRequest> {
  const text = readFileSync(join(DEMO_FOLDER, 'requests', `${service}.json`), 'utf8');
  return z.record(z.string(), requestSchema).parse(JSON.parse(text));
}

/** The Python that the demo uses: AMBER_PYTHON, else python3. @throws AmberError `AL_NO_COMMAND` */
export function findPython(): string {
  const named = process.env.AMBER_PYTHON || 'python3';
  return interpreter(named, ['--version'], 'the fares service needs Python 3.8 or later', 'python');
}

/** The Ruby that the demo uses: AMBER_RUBY, else ruby. @throws AmberError `AL_NO_COMMAND` */
export function findRuby(): string {
  const named = process.env.AMBER_RUBY || 'ruby';
  const recent = "exit((RUBY_VERSION.split('.').map(&:to_i) <=> [3, 1]) >= 0)";
  return interpreter(named, ['-e', recent], 'the tides service needs Ruby 3.1 or later', 'ruby');
}

/** The PHP that the demo uses: AMBER_PHP, else php. @throws AmberError `AL_NO_COMMAND` */
export function findPhp(): string {
  const named = process.env.AMBER_PHP || 'php';
  const recent = 'exit(PHP_VERSION_ID >= 80000 && extension_loaded("tokenizer") ? 0 : 1);';
  return interpreter(named, ['-r', recent], 'the slips service needs PHP 8.0 or later', 'php');
}

function interpreter(program: string, check: string[], needs: string, brew: string): string {
  if (spawnSync(program, check).status !== 0) {
    throw new AmberError('AL_NO_COMMAND', `${needs}, and there is none`, setupHint(brew));
  }
  return program;
}

/** The services of the office, each started after those that it asks. */
const SERVICES = [
  { name: 'fares', language: 'Python', command: () => [findPython(), 'serve.py'] },
  { name: 'tides', language: 'Ruby', command: () => [findRuby(), 'serve.rb'] },
  {
    name: 'slips',
    language: 'PHP',
    command: () => [findPhp(), '-S', '127.0.0.1:0', '-t', 'public'],
  },
  { name: 'desk', language: 'JavaScript', command: () => [process.execPath, 'serve.js'] },
] as const;
export type ServiceName = (typeof SERVICES)[number]['name'];

/** Where the slips of this office are kept, which are gone with it. */
function slipsFolder(): string {
  return mkdtempSync(join(tmpdir(), 'skerrow-slips-'));
}

/**
 * Starts services with dormant agents, as `amber run` would; each is told the addresses of those before it.
 * One whose interpreter is missing is left out, with `missing` told why.
 */
export async function startOffice(
  wanted: readonly ServiceName[],
  missing: (why: string) => void,
): Promise<Service[]> {
  const started: Service[] = [];
  for (const { name, language, command } of SERVICES.filter((service) => wanted.includes(service.name))) {
    const addresses = started.map((service) => [`${service.name.toUpperCase()}_URL`, service.url]);
    try {
      const own = name === 'slips' ? { SLIPS_FOLDER: slipsFolder() } : {};
      const added = { ...Object.fromEntries(addresses), ...own };
      started.push(await startService(name, language, command(), added));
    } catch (error) {
      if (wanted.length === 1 || !(error instanceof AmberError)) {
        throw error;
      }
      missing(error.message);
    }
  }
  return started;
}

async function startService(
  name: ServiceName,
  language: string,
  [program = '', ...args]: string[],
  addresses: Record<string, string>,
): Promise<Service> {
  const child = spawn(program, args, {
    cwd: join(DEMO_FOLDER, name),
    env: { ...process.env, ...agentEnvironment(process.env), ...addresses },
    // PHP's server tells its address, and every request, on its standard error.
    stdio: ['ignore', 'pipe', name === 'slips' ? 'pipe' : 'inherit'],
  });
  const url = await listeningUrl(child, name);
  const end = async () => {
    await stop(child);
    if (addresses.SLIPS_FOLDER !== undefined) {
      rmSync(addresses.SLIPS_FOLDER, { recursive: true, force: true });
    }
  };
  return { name, language, url, pid: child.pid ?? 0, stop: end };
}

/** Sends one of the named requests; gives the status and the JSON of the answer. */
export async function sendRequest(service: Service, request: DemoRequest) {
  const response = await fetch(service.url + request.path, {
    method: request.method,
    headers: { ...(request.body ? { 'Content-Type': 'application/json' } : {}), Connection: 'close' },
    ...(request.body ? { body: JSON.stringify(request.body) } : {}),
    ...(request.form ? { body: new URLSearchParams(request.form) } : {}),
  });
  return { status: response.status, body: (await response.json()) as Record<string, unknown> };
}

function listeningUrl(child: ChildProcess, name: string): Promise<string> {
  return new Promise((resolvePromise, reject) => {
    const failed = (how: string) => () => {
      clearTimeout(timer);
      reject(new AmberError('AL_NO_COMMAND', `the ${name} service ${how}`, 'its own words are above'));
    };
    const timer = setTimeout(() => {
      child.kill();
      failed('did not start in time')();
    }, patient(START_TIMEOUT));
    child.once('exit', failed('ended at once'));
    child.once('error', failed('could not be started'));
    for (const input of [child.stdout, child.stderr]) {
      if (input === null) {
        continue;
      }
      createInterface({ input }).on('line', (line) => {
        const url = /http:[^\s)]+/.exec(line)?.[0];
        if (url !== undefined) {
          clearTimeout(timer);
          child.removeAllListeners('exit');
          resolvePromise(url);
        }
      });
    }
  });
}

async function stop(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) {
    return;
  }
  const ended = new Promise((done) => child.once('exit', done));
  child.kill('SIGTERM');
  const kill = setTimeout(() => child.kill('SIGKILL'), 2_000);
  await ended;
  clearTimeout(kill);
}

function setupHint(name: string): string {
  const debian = { python: 'python3', php: 'php-cli' }[name] ?? name;
  return process.platform === 'darwin'
    ? `brew install ${name}`
    : `apt-get install ${debian}, or install it your own way`;
}
