import { execFile } from 'node:child_process';
import { resolve } from 'node:path';
import { promisify } from 'node:util';
import { phpHas } from '../support/php.js';
import { rubyHas } from '../support/ruby.js';

const ROOT = resolve(__dirname, '..', '..');
const isThere: Record<string, () => boolean> = { ruby: () => rubyHas('socket'), php: () => phpHas('cli') };

/** A sample of bench/faults, whose whole takes too long: it ends with 1 where an answer was wrong or late. */
it.each(['python', 'ruby', 'node', 'php', 'client'].filter((each) => isThere[each]?.() ?? true))(
  'frames that are nearly right: %s',
  async (runtime) => {
    const args = ['bench/faults/frames.mjs', runtime, '--frames', '400', '--seed', '2'];
    const { stdout } = await promisify(execFile)(process.execPath, args, { cwd: ROOT });
    expect(stdout).toMatch(runtime === 'client' ? /"count": 0/ : /"next": "works"/);
    expect(stdout).not.toContain('amber:');
  },
);
