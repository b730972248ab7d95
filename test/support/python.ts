import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { homedir, tmpdir } from 'node:os';
import { join } from 'node:path';
import { MarkStore } from '../../src/core/marks/store.js';
import { MarkSync } from '../../src/core/marks/sync.js';
import { Session } from '../../src/core/session/session.js';
import type { Stop } from '../../src/core/session/stop.js';
import { connectTo } from '../../src/targets/connect.js';
import { type Description, readDescription } from '../../src/targets/description.js';
import { agentEnvironment } from '../../src/targets/environment.js';
import { realClock } from './clock.js';
import { LineProgram, makeFolder } from './program.js';

export interface Python {
  version: string;
  path: string;
}

/** Every Python from 3.8 on this machine, one of each minor version; in CI one must be there. */
export function pythons(): Python[] {
  const versions = join(homedir(), '.pyenv', 'versions');
  const more = existsSync(versions)
    ? readdirSync(versions).map((name) => join(versions, name, 'bin', 'python'))
    : [];
  const found = new Map<string, Python>();
  for (const path of ['python3', '/usr/bin/python3', ...more]) {
    const version = versionOf(path);
    if (version && !found.has(version)) {
      found.set(version, { version, path });
    }
  }
  if (found.size === 0) {
    throw new Error('no Python from 3.8 on was found');
  }
  return [...found.values()].sort((a, b) => Number(a.version.slice(2)) - Number(b.version.slice(2)));
}

/** A Python that can import a module; undefined when there is none. In CI there must be one. */
export function pythonWith(module: string): string | undefined {
  const path = ['python3', '/usr/bin/python3'].find((candidate) => {
    try {
      execFileSync(candidate, ['-c', `import ${module}`], { stdio: 'ignore' });
      return true;
    } catch {
      return false;
    }
  });
  if (path === undefined && process.env.CI) {
    throw new Error(`no Python with ${module} was found`);
  }
  return path;
}

function versionOf(path: string): string | undefined {
  try {
    const text = execFileSync(path, ['-c', 'import sys; print("%d.%d" % sys.version_info[:2])'], {
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    }).trim();
    return text.startsWith('3.') && Number(text.slice(2)) >= 8 ? text : undefined;
  } catch {
    return undefined;
  }
}

export interface ProgramOptions {
  env?: Record<string, string>;
  args?: string[];
}

/** A Python program of the test's own, running with a dormant agent. */
export class Program extends LineProgram {
  constructor(
    python: string,
    source: string,
    files: Record<string, string> = {},
    options: ProgramOptions = {},
  ) {
    super(makeFolder({ 'app.py': source, ...files }), python, [...(options.args ?? []), 'app.py'], {
      env: { ...process.env, ...agentEnvironment(process.env), ...options.env },
    });
  }

  get file(): string {
    return join(this.folder, 'app.py');
  }

  description(runFolder: string, pid = this.pid): Description | undefined {
    return readDescription(runFolder, pid);
  }
}

/** An attached session with the store of its marks, and the stops in the order in which they come. */
export class Attached {
  readonly stops: Stop[] = [];
  readonly store = new MarkStore();
  readonly sync: MarkSync;
  #waiting: ((stop: Stop) => void)[] = [];

  constructor(readonly session: Session) {
    this.sync = new MarkSync(session, this.store);
    session.on('stopped', (stop) => {
      const waiting = this.#waiting.shift();
      if (waiting) {
        waiting(stop);
      } else {
        this.stops.push(stop);
      }
    });
  }

  /** The next stop that has not been asked for. */
  async stop(): Promise<Stop> {
    const stop = this.stops.shift();
    return stop ?? (await new Promise((done) => this.#waiting.push(done)));
  }

  /** Moves a stopped thread and gives where it stops next: `function:line`. */
  async step(
    stop: Stop,
    kind: 'over' | 'into' | 'out',
    anywhere = false,
  ): Promise<{ stop: Stop; at: string }> {
    await stop.step(kind, anywhere);
    const next = await this.stop();
    return { stop: next, at: await whereIs(next) };
  }

  async mark(path: string, line: number, condition?: string) {
    const place = { kind: 'line' as const, file: path, line };
    const mark = this.store.add({ place, ...(condition ? { condition } : {}) }, path);
    await this.sync.send(mark);
    return mark;
  }
}

export async function whereIs(stop: Stop): Promise<string> {
  const [frame] = await stop.frames();
  return `${frame?.name}:${frame?.line}`;
}

/** Attaches to a described process as `amber attach` does. */
export async function attachTo(
  description: Description,
  attach: Record<string, unknown> = {},
): Promise<Attached> {
  for (let attempt = 1; ; attempt += 1) {
    const session = new Session(await connectTo(description), { clock: realClock, attach });
    const attached = new Attached(session);
    try {
      await session.open(async () => undefined);
      return attached;
    } catch (error) {
      // The endpoint of the client before closes just as we come; `amber attach` tries again too.
      if (attempt === 3 || (error as { code?: string }).code !== 'AL_TARGET_GONE') {
        throw error;
      }
    }
  }
}

/** A run folder of the test's own, so that tests see nothing of each other. */
export function useRunFolder(): () => string {
  let folder = '';
  const before = process.env.AMBER_RUN_DIR;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'amber-run-'));
    process.env.AMBER_RUN_DIR = folder;
  });
  afterAll(() => {
    if (before === undefined) {
      delete process.env.AMBER_RUN_DIR;
    } else {
      process.env.AMBER_RUN_DIR = before;
    }
    rmSync(folder, { recursive: true, force: true });
  });
  return () => folder;
}
