import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { z } from 'zod';
import { parseLog } from '../../src/core/marks/grammar.js';
import { MarkStore } from '../../src/core/marks/store.js';
import { MarkSync } from '../../src/core/marks/sync.js';
import { Session } from '../../src/core/session/session.js';
import type { Stop } from '../../src/core/session/stop.js';
import { connectTcp, connectTo } from '../../src/targets/connect.js';
import type { Description } from '../../src/targets/description.js';
import { realClock } from './clock.js';

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
    // A program that is just ending may write into it once more.
    rmSync(folder, { recursive: true, force: true, maxRetries: 5, retryDelay: 20 });
  });
  return () => folder;
}

const linesSchema = z.object({ breakpoints: z.array(z.object({ line: z.number() })) });

/** Adds a logpoint that tells `text` to every line of `files` that can take one. */
export async function logEverywhere(
  attached: Attached,
  files: string[],
  text: string,
  every = 1,
): Promise<void> {
  attached.store.limits = { perSecond: 1, bytes: 40 };
  for (const file of files) {
    const args = { source: { path: file }, line: 1, endLine: 100_000 };
    const { breakpoints } = await attached.session.client.request('breakpointLocations', args, linesSchema);
    for (const { line } of breakpoints.filter((_, index) => index % every === 0)) {
      attached.store.add(parseLog(`${file}:${line} "${text}"`), file, 'log');
    }
  }
  await attached.sync.send();
}

/** A session on an agent that will listen on a port of this machine. */
export async function sessionOnPort(port: number, token: string): Promise<Session> {
  for (;;) {
    try {
      return new Session(await connectTcp('127.0.0.1', port), { clock: realClock, attach: { token } });
    } catch {
      await new Promise((done) => setTimeout(done, 10));
    }
  }
}

/** A port that nothing listens on. */
export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const address = server.address();
  await new Promise((done) => server.close(done));
  return typeof address === 'object' && address ? address.port : 0;
}
