import { join } from 'node:path';
import { JavaScriptAdapter } from '../../runtimes/node/adapter/adapter.js';
import { connectNode } from '../../runtimes/node/process/agent.js';
import { messagePair } from '../../src/adapters/pair.js';
import { Session } from '../../src/core/session/session.js';
import { Attached } from './attached.js';
import { realClock } from './clock.js';
import { LineProgram, makeFolder } from './program.js';

/** The Node that programs of the tests run in: the one that runs the tests, or another version (scripts/test.sh). */
export const NODE = process.env.AMBER_TEST_NODE || process.execPath;

/**
 * Has the engine's inspector take any port that is free: at the usual one the programs of other tests would be met, one of
 * which may stand still.
 */
export const ANY_PORT = '--inspect-port=0';

/** The number of the line of a source that holds `text`. */
export function lineOf(source: string, text: string): number {
  return source.split('\n').findIndex((line) => line.includes(text)) + 1;
}

/** A Node program of the test's own: answers each line of its input with a line. */
export class NodeProgram extends LineProgram {
  readonly file: string;

  constructor(
    readonly source: string,
    name = 'app.js',
    files: Record<string, string> = {},
    flags: string[] = [],
    environment: Record<string, string> = {},
    node = NODE,
  ) {
    super(makeFolder({ [name]: source, ...files }), node, [ANY_PORT, ...flags, name], {
      env: { ...process.env, ...environment },
    });
    this.file = join(this.folder, name);
  }

  /** The number of the line that holds `text`. */
  lineOf(text: string): number {
    return lineOf(this.source, text);
  }

  /** The path of another file of the program. */
  path(name: string): string {
    return join(this.folder, name);
  }

  /** Attaches to it as `amber attach` does. */
  async attach(args: Record<string, unknown> = {}): Promise<Attached> {
    const agent = await connectNode(process.env, this.pid);
    const [ours, adapters] = messagePair();
    new JavaScriptAdapter(adapters, async () => agent);
    const session = new Session(ours, { clock: realClock, attach: { pid: this.pid, ...args } });
    const attached = new Attached(session);
    await session.open(async () => undefined);
    return attached;
  }
}
