import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { agentEnvironment } from '../../runtimes/list.js';
import { type Description, readDescription } from '../../src/targets/description.js';
import { type Attached, attachTo } from './attached.js';
import { LineProgram, makeFolder } from './program.js';

/** Whether this machine has a Ruby from 3.1 on, with what the arguments load; in CI it must. */
export function rubyHas(...libraries: string[]): boolean {
  const loading = libraries.map((name) => `require '${name}'`).join(';');
  try {
    execFileSync('ruby', ['-e', `${loading}; exit((RUBY_VERSION.split('.').map(&:to_i) <=> [3, 1]) >= 0)`], {
      stdio: 'ignore',
    });
    return true;
  } catch (error) {
    if (process.env.CI) {
      throw new Error(`no Ruby from 3.1 on with ${libraries.join(', ')} was found`, { cause: error });
    }
    return false;
  }
}

/** The tests of a group, or none where there is no such Ruby. */
export function describeRuby(name: string, libraries: string[], tests: () => void): void {
  (rubyHas(...libraries) ? describe : describe.skip)(name, tests);
}

export interface RubyOptions {
  env?: Record<string, string>;
  /** Instead of `app.rb`, with the interpreter's own options. */
  args?: string[];
}

/** A Ruby program of the test's own, running with a dormant agent; every warning of the interpreter is shown. */
export class RubyProgram extends LineProgram {
  constructor(
    readonly source: string,
    files: Record<string, string> = {},
    options: RubyOptions = {},
  ) {
    super(makeFolder({ 'app.rb': source, ...files }), 'ruby', options.args ?? ['-w', 'app.rb'], {
      env: { ...process.env, ...agentEnvironment(process.env), ...options.env },
    });
  }

  get file(): string {
    return join(this.folder, 'app.rb');
  }

  /** The number of the line that holds `text`. */
  lineOf(text: string): number {
    return this.source.split('\n').findIndex((line) => line.includes(text)) + 1;
  }

  description(runFolder: string, pid = this.pid): Description {
    const description = readDescription(runFolder, pid);
    if (description === undefined) {
      throw new Error(`process ${pid} has not described itself: ${this.stderr}`);
    }
    return description;
  }

  async attach(runFolder: string, args: Record<string, unknown> = {}, pid = this.pid): Promise<Attached> {
    return await attachTo(this.description(runFolder, pid), args);
  }
}
