import {
  chmodSync,
  chownSync,
  existsSync,
  lchownSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmdirSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { RequestError } from '../../../src/adapters/dap-server.js';
import { systemReason } from '../../../src/core/errors.js';
import type { MarkKind } from '../../../src/core/marks/grammar.js';
import type { RequestPattern } from '../../../src/core/requests/pattern.js';
import { agentFolder } from '../../../src/installation.js';
import { sweepCache } from './cache.js';
import { ToldFile } from './told-file.js';

/** Milliseconds from one look at the size of the cache to the next. */
const SWEEP_EVERY = 15_000;

/** A mark as the agent reads it. */
export interface PlanMark {
  id: number;
  kind: MarkKind;
  condition: string;
  values: readonly string[];
  rule: (string | number)[] | null;
  /** Whether the rule counts anew in each request. */
  inRequest: boolean;
  perSecond: number;
  inAll: number;
  bytes: number;
  /** The requests that it is for; null: for all. */
  only: RequestPattern | null;
  line?: number;
  name?: string;
  method?: string;
  path?: string;
  /** Of a request that is sent: an expression for its address, and whether the mark asks for the answer. */
  matches?: string;
  answered?: boolean;
}

/** What is wanted of the requests of one process; docs/php.md describes the file. */
export interface Plan {
  files: Record<string, PlanMark[]>;
  functions: PlanMark[];
  requests: PlanMark[];
  sends: PlanMark[];
  errors: { filter: string; types: string[] }[];
  /** Points for steps only in files with marks: everywhere they would cost a large program too much. */
  near: boolean;
  /** Requests that have them everywhere nevertheless, since one like them has stopped. */
  stepped: { method: string; path: string }[];
  /** Stop the next request at its first line. */
  entry: boolean;
  foreign: string[];
  veil: { names: readonly string[]; off: boolean };
  /** Only requests whose `tracestate` has this. */
  only: string | null;
  /** Whether every request is to be told of, also one that meets no mark. */
  tells: boolean;
  /** Whether a request that reads this is to say so: it is not known that any does. */
  asks: boolean;
}

/**
 * The folder that tells the agents of a user's PHP processes that somebody is attached, with a plan for each of them.
 * It is there only while somebody is: that is all a request looks at otherwise.
 */
export class PlanFolder {
  readonly #armed: string;
  readonly #cache: string;
  readonly #agent = versionOfAgent();
  readonly #sweeping: NodeJS.Timeout;
  /** The group that the run folder is shared with, as with the workers of a server that run as another user. */
  readonly #group: number | undefined;
  /** The user whose run folder it is, where we are root and work for that user's processes. */
  readonly #owner: number | undefined;
  readonly #told: ToldFile;
  #revision = 0;

  /** @param runFolder where the endpoints of this user are (docs/endpoints.md) */
  constructor(
    runFolder: string,
    private readonly pid: number,
  ) {
    this.#armed = join(runFolder, 'php');
    this.#cache = join(runFolder, 'php-cache');
    const { mode, uid, gid } = statSync(runFolder);
    this.#group = (mode & 0o070) === 0 ? undefined : gid;
    this.#owner = uid !== process.getuid?.() && process.getuid?.() === 0 ? uid : undefined;
    for (const folder of [this.#armed, this.#cache, this.#counts]) {
      mkdirSync(folder, { recursive: true, mode: 0o700 });
      this.#share(folder, 0o2770);
    }
    this.#told = new ToldFile(join(this.#counts, 'told'), (path) => this.#share(path, 0o660));
    sweepCache(this.#cache);
    this.#sweeping = setInterval(() => sweepCache(this.#cache), SWEEP_EVERY);
    this.#sweeping.unref();
  }

  /**
   * Gives the user whose folder it is what we make here as root, and the group what it is shared with, whose own group it
   * need not be; of a folder also what is made in it. `mode`: for the group.
   */
  #share(path: string, mode: number): void {
    try {
      if (this.#owner !== undefined) {
        lchownSync(path, this.#owner, -1);
      }
      if (this.#group !== undefined) {
        chownSync(path, -1, this.#group);
        chmodSync(path, mode);
      }
    } catch {
      // It is another member's of the group, who has shared it.
    }
  }

  get #counts(): string {
    return join(this.#armed, `${this.pid}.counts`);
  }

  get #file(): string {
    return join(this.#armed, `${this.pid}.json`);
  }

  /** Where the requests of the process connect to. */
  get socket(): string {
    return join(this.#armed, `${this.pid}.sock`);
  }

  write(plan: Plan): void {
    this.#revision += 1;
    const isPausing = (marks: PlanMark[]) => marks.some(({ kind }) => kind === 'break');
    const all = [...Object.values(plan.files), plan.functions, plan.requests, plan.sends];
    const steps = plan.entry || plan.errors.length > 0 || all.some(isPausing);
    const text = JSON.stringify({
      version: 1,
      client: process.pid,
      address: `unix://${this.socket}`,
      revision: this.#revision,
      cache: this.#cache,
      agent: this.#agent,
      counts: this.#counts,
      steps,
      picks: all.flat().some(({ only }) => only !== null),
      ...plan,
    });
    const fresh = `${this.#file}.new`;
    try {
      writeFileSync(fresh, text, { mode: 0o640 });
      this.#share(fresh, 0o640);
    } catch (error) {
      rmSync(fresh, { force: true });
      throw new RequestError('runFolder', `the plan for PHP cannot be written: ${systemReason(error)}`);
    }
    // A script that runs tells one plan from the next by its time, which it sees in whole seconds.
    const time = Math.floor(Date.now() / 1000) + this.#revision;
    utimesSync(fresh, time, time);
    renameSync(fresh, this.#file);
  }

  /** Shares the socket with those who may read the plan. */
  open(): void {
    this.#share(this.socket, 0o660);
  }

  /** Whether a request has read a plan that asks for it. */
  get isRead(): boolean {
    return existsSync(join(this.#counts, 'looked'));
  }

  /** Whether a request has found that points for steps everywhere cost it too much. */
  get isLarge(): boolean {
    return existsSync(join(this.#counts, 'large'));
  }

  /** What requests could not tell anybody, since nobody read: lines of JSON, each told once. */
  takeLeft(): unknown[] {
    const left = join(this.#counts, 'left');
    const taken = `${left}.taken`;
    try {
      // Who is writing just now has it open still, so that is read at the next time.
      const text = existsSync(taken) ? readFileSync(taken, 'utf8') : '';
      rmSync(taken, { force: true });
      if (existsSync(left)) {
        renameSync(left, taken);
      }
      return text
        .split('\n')
        .filter(Boolean)
        .map((line) => JSON.parse(line) as unknown);
    } catch {
      return [];
    }
  }

  /** What requests have told that are over, each once. */
  takeTold(): unknown[] {
    return this.#told.take();
  }

  /** A mark is counted from the beginning again. */
  forget(mark: number): void {
    rmSync(join(this.#counts, `${mark}`), { force: true });
  }

  remove(): void {
    clearInterval(this.#sweeping);
    rmSync(this.#file, { force: true });
    rmSync(this.socket, { force: true });
    this.#told.close();
    rmSync(this.#counts, { recursive: true, force: true });
    try {
      rmdirSync(this.#armed);
    } catch {
      // Somebody else is attached to another process.
    }
  }
}

/** When the files of the agent were written: what it has made of the program's files is kept for as long as they stay. */
function versionOfAgent(): string {
  const folder = join(agentFolder('php'), 'amber_agent');
  const times = readdirSync(folder).map((name) => Math.floor(statSync(join(folder, name)).mtimeMs));
  return `${times.length} ${Math.max(...times)}`;
}
