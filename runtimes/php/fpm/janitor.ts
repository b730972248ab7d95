import {
  existsSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  utimesSync,
  watch,
  writeFileSync,
} from 'node:fs';
import { dirname } from 'node:path';
import { createInterface } from 'node:readline';
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

/** How often it is looked whether the script is there, where the system tells of no changes. */
const LOOK_INTERVAL = 500;

/** What the script holds, and whether it has been there. */
let text = '';
let isThere = false;

function keep(): void {
  try {
    if (existsSync(stub)) {
      isThere = true;
    } else if (isThere || isNamed()) {
      writeFileSync(stub, text, { mode: 0o644 });
    }
  } catch {
    // The folder has gone too.
  }
}

/** Whether the `.user.ini` names the script, which is written before it. */
function isNamed(): boolean {
  return existsSync(ini) && readFileSync(ini, 'utf8').includes(stub);
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
  try {
    // From here on workers forget the script, one after the other (lend.ts).
    const now = Date.now() / 1000;
    utimesSync(stub, now, now);
  } catch {
    // Somebody has taken it away, and it comes back.
  }
}

const watcher = watch(dirname(stub), keep).on('error', () => undefined);
setInterval(keep, LOOK_INTERVAL).unref();
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
process.stdout.on('error', () => undefined);
// The first line is what the script holds; that we have it is the word for which amber waits before it writes anything.
createInterface({ input: process.stdin })
  .once('line', (line) => {
    text = JSON.parse(line) as string;
    process.stdout.write('ready\n');
  })
  .once('close', end);
