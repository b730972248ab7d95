/* One `amber attach` that is driven by its prompt, whose records are read as they come. */
import { spawn } from 'node:child_process';
import { createInterface } from 'node:readline';
import { AMBER } from '../faults/served.mjs';

/** Milliseconds in which an answer has to come. */
const LONGEST = 30_000 * Number(process.env.AMBER_PATIENCE || 1);

export class Session {
  #waiting = [];
  #unseen = [];
  records = [];
  errors = '';

  /** @param env what `amber` is to see beside its own environment */
  constructor(target, { cwd, env = {} }) {
    const args = [AMBER, 'attach', ...target, '--yes', '--json'];
    this.child = spawn(process.execPath, args, { cwd, env: { ...process.env, ...env } });
    this.child.stdin.on('error', () => undefined);
    this.child.stderr.on('data', (chunk) => {
      this.errors += chunk;
    });
    createInterface({ input: this.child.stdout }).on('line', (line) => this.#take(JSON.parse(line)));
    this.ended = new Promise((done) => this.child.once('close', done));
    void this.ended.then(() => {
      for (const { late } of this.#waiting.splice(0)) {
        late();
      }
    });
  }

  #take(record) {
    this.records.push(record);
    this.#unseen.push(record);
    for (const waiting of this.#waiting.splice(0)) {
      this.#look(waiting);
    }
  }

  #look(waiting) {
    const at = this.#unseen.findIndex(waiting.isWanted);
    if (at < 0) {
      this.#waiting.push(waiting);
      return;
    }
    waiting.done(this.#unseen.splice(at, 1)[0]);
  }

  /** The next record of a kind that has not been taken yet. @throws Error with what came instead */
  next(kind, isWanted = () => true) {
    return new Promise((done, failed) => {
      const late = () => {
        const last = this.records.slice(-3).map((record) => JSON.stringify(record).slice(0, 300));
        failed(new Error(`no ${kind}: ${[this.errors.trim().slice(-400), ...last].join(' | ')}`));
      };
      const timer = setTimeout(late, LONGEST);
      this.#look({
        isWanted: (record) => record.kind === kind && isWanted(record),
        done: (record) => {
          clearTimeout(timer);
          done(record);
        },
        late,
      });
    });
  }

  say(command) {
    this.child.stdin.write(`${command}\n`);
  }

  /** Types a command and takes the next record of a kind. */
  ask(command, kind, isWanted) {
    const answer = this.next(kind, isWanted);
    this.say(command);
    return answer;
  }

  async detach() {
    this.child.stdin.end();
    await this.ended;
  }

  async kill() {
    this.child.kill('SIGKILL');
    await this.ended;
  }
}
