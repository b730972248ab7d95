import { execFileSync, spawn } from 'node:child_process';
import { join } from 'node:path';
import { INSTALLATION } from '../../src/installation.js';

/**
 * Whether this machine lets one process trace another: a container may forbid it, whatever the user is. It is tried
 * with the product's own tracer on a process of our own.
 */
export function mayTrace(): boolean {
  const child = spawn('sleep', ['60'], { stdio: 'ignore' });
  try {
    const tracer = join(INSTALLATION, 'src/targets/unprepared/tracer/tracer.py');
    const answers = execFileSync('python3', ['-I', '-S', tracer, `${child.pid}`, '202'], {
      input: 'stop 5\ngo\n',
      encoding: 'utf8',
    });
    return /^stopped [0-9a-f]+ [0-9a-f]+\ngone\n/.test(answers);
  } finally {
    child.kill('SIGKILL');
  }
}
