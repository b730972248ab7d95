import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { agentEnvironment } from '../../runtimes/list.js';
import { type Description, readDescription } from '../../src/targets/description.js';
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

/** The last version in which the agent looks by tracing, and the first in which it has events of single lines (PEP 669). */
const TURNS = ['3.11', '3.12'];

/**
 * Of the versions that are here those that differ for us: the oldest, the newest, and the two between which the agent works
 * in another way. AMBER_PYTHONS=all takes every one.
 */
export function typicalPythons(): Python[] {
  const all = pythons();
  const isTypical = ({ version }: Python, index: number) =>
    index === 0 || index === all.length - 1 || TURNS.includes(version);
  return process.env.AMBER_PYTHONS === 'all' ? all : all.filter(isTypical);
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
