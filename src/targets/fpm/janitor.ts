import { existsSync, readFileSync, renameSync, rmSync, statSync, watch, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { withoutOurs } from './user-ini.js';

/**
 * A process of its own that takes away what amber has put into a document root, however amber ends: `janitor.js INI STUB
 * SECONDS`. The `.user.ini` loses our lines at once. The script that it names stays for as long as a worker may believe
 * that it is there: without it every request of that worker would fail. For the same reason it comes back when somebody
 * else takes it away, as a deployment may.
 */
const [ini = '', stub = '', seconds = '0'] = process.argv.slice(2);

/** Seconds beyond the time in which workers read the file anew: a request that began just before is under way. */
const SLACK = 2;

let text = '';

function keep(): void {
  try {
    if (existsSync(stub)) {
      text ||= readFileSync(stub, 'utf8');
    } else if (text !== '') {
      writeFileSync(stub, text, { mode: 0o644 });
    }
  } catch {
    // The folder has gone too.
  }
}

function takeAway(): void {
  try {
    const whole = readFileSync(ini, 'utf8');
    const rest = withoutOurs(whole);
    if (rest === undefined) {
      rmSync(ini, { force: true });
    } else if (rest !== whole) {
      writeFileSync(`${ini}.new`, rest, { mode: statSync(ini).mode & 0o777 });
      renameSync(`${ini}.new`, ini);
    }
  } catch {
    // It is not there any more.
  }
}

const watcher = watch(dirname(stub), keep).on('error', () => undefined);
const end = () => {
  takeAway();
  setTimeout(
    () => {
      watcher.close();
      rmSync(stub, { force: true });
      process.exit();
    },
    (Number(seconds) + SLACK) * 1000,
  );
};

// The terminal's signals are not for us; at a shutdown the lines go, and the script, which does nothing then, stays.
for (const signal of ['SIGINT', 'SIGHUP'] as const) {
  process.on(signal, () => undefined);
}
process.on('SIGTERM', () => {
  takeAway();
  process.exit();
});
process.stdin.on('end', end).on('error', end).resume();
keep();
