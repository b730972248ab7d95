import { spawnSync } from 'node:child_process';
import { resolve } from 'node:path';
import { AmberError } from '../../../src/core/errors.js';
import type { ProcessFacts } from '../../../src/targets/linux.js';

/** What a php-fpm's configuration says of `.user.ini` files, and what would keep one of ours from working. */
export interface FpmConfig {
  /** What such files are called. */
  name: string;
  /** Seconds after which a worker reads them anew. */
  seconds: number;
}

/** Milliseconds that php-fpm may take to print its configuration. */
const PATIENCE = 10_000;

/**
 * Reads the configuration as the master of a php-fpm has it, from its files.
 * @throws AmberError `AL_NO_AGENT` where nothing can be put before its scripts
 */
export function fpmConfig(facts: ProcessFacts): FpmConfig {
  const file = /\(([^()]+)\)\s*$/.exec(facts.command)?.[1];
  const pools = file === undefined ? '' : output(facts, ['-y', resolve(facts.folder, file), '-tt']);
  const inPools = (name: string) =>
    [
      ...pools.matchAll(new RegExp(`php_(?:admin_)?value\\[${name.replaceAll('.', '\\.')}\\] = (.*)`, 'g')),
    ].map(([, value = '']) => value.trim());
  const info = output(facts, ['-i']);
  const inFile = (name: string) => {
    const [, value = ''] = new RegExp(`^${name.replaceAll('.', '\\.')} => (.*) => `, 'm').exec(info) ?? [];
    return value === 'no value' ? '' : value;
  };
  if (inPools('auto_prepend_file').length > 0) {
    throw closed(facts, 'a pool of it sets auto_prepend_file, which is before any `.user.ini`');
  }
  if (/NOTICE:\s+chroot = (?!undefined|\/$)/m.test(pools)) {
    throw closed(facts, 'a pool of it runs in a root folder of its own (chroot)');
  }
  const name = inPools('user_ini.filename').at(-1) ?? inFile('user_ini.filename');
  if (name === '') {
    throw closed(facts, 'it reads no `.user.ini` files (user_ini.filename is empty)');
  }
  const ofPools = inPools('user_ini.cache_ttl');
  // A pool that says nothing of it has what the file says.
  const all = [...pools.matchAll(/NOTICE:\s+pm = /g)].length;
  const isSaid = ofPools.length > 0 && ofPools.length === all;
  const seconds = Math.max(0, ...[...ofPools, ...(isSaid ? [] : [inFile('user_ini.cache_ttl')])].map(Number));
  return { name, seconds: Number.isFinite(seconds) ? seconds : 0 };
}

function closed({ pid }: ProcessFacts, why: string): AmberError {
  return new AmberError(
    'AL_NO_AGENT',
    `process ${pid} cannot be given the agent while it runs: ${why}`,
    'start it again in the environment that `amber run --print-env` shows',
  );
}

/** What php-fpm prints, on either stream; it prints its configuration as notices. */
function output({ executable, pid }: ProcessFacts, args: string[]): string {
  const { stdout, stderr, error } = spawnSync(executable, args, { encoding: 'utf8', timeout: PATIENCE });
  if (error !== undefined) {
    throw new AmberError(
      'AL_NO_AGENT',
      `the configuration of process ${pid} cannot be read: ${executable} ${args.join(' ')} gave ${error.message}`,
      'start it again in the environment that `amber run --print-env` shows',
    );
  }
  return `${stdout}\n${stderr}`;
}
