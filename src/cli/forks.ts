import type { Description } from '../targets/description.js';
import { Forks } from '../targets/forks.js';
import { processFacts } from '../targets/linux.js';
import type { Openable } from '../targets/runtime.js';
import { targetId } from '../targets/target.js';
import type { PromptSession } from './attach-session.js';
import type { TargetBench, TargetFacts } from './prompt/target-bench.js';

type Open = (child: Openable, facts: TargetFacts, parent: TargetBench) => Promise<TargetBench>;

/** Forks of the session's targets, which become targets of their own before they run on. */
export class JoinedForks {
  readonly #forks: Forks;
  readonly #parents = new Map<number, { bench: TargetBench; open: Open }>();
  /** Forks of targets with which we have not come to an end of the beginning. */
  readonly #early: Description[] = [];
  #joining: Promise<void> = Promise.resolve();

  constructor(private readonly session: PromptSession) {
    this.#forks = new Forks((description) => this.#take(description));
  }

  /** One after the other. */
  #take(description: Description): void {
    this.#joining = this.#joining.then(() => this.#join(description));
  }

  /** What a target is told of it in `attach`. */
  get claim(): string {
    return this.#forks.claim;
  }

  /** @param pid the process of a target; `open` opens what it forks */
  of(pid: number, bench: TargetBench, open: Open): void {
    this.#parents.set(pid, { bench, open });
    bench.session.on('ended', () => this.#parents.delete(pid));
    for (const description of this.#early.splice(0)) {
      this.#take(description);
    }
  }

  async #join(description: Description): Promise<void> {
    const { pid, runtime, folder } = description;
    const { session } = this;
    const parent = this.#parents.get(processFacts(pid)?.parent ?? 0);
    if (parent === undefined) {
      this.#early.push(description);
      return;
    }
    const { bench, open } = parent;
    const facts: TargetFacts = {
      id: targetId(description),
      ...session.bench.freeName(bench.target.base ?? bench.target.name),
      runtime,
      folder,
      parent: bench.target.id,
      isAlive: () => processFacts(pid) !== undefined,
    };
    try {
      const child = await open({ pid, description }, facts, bench);
      session.tell(
        `also attached: target ${child.number} (${child.target.name}), forked by ${bench.target.name}`,
      );
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      session.tell(`${facts.name}, forked by ${bench.target.name}, is not attached: ${why}`);
    }
  }

  close(): void {
    this.#forks.close();
  }
}
