// What a session costs a large program under php-fpm with opcache on, 4 workers behind nginx, 8 clients: attached with
// nothing marked, with a logpoint in one file, and with a breakpoint that is never true, each beside bare in the same run.
//   node bench/php/large.mjs [--files 400] [--seconds 6]
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, get } from 'node:http';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { AMBER, freePort, pause } from '../faults/served.mjs';
import { agentEnvironment } from '../programs.mjs';

const { values: options } = parseArgs({
  options: { files: { type: 'string', default: '400' }, seconds: { type: 'string', default: '6' } },
});
const FILES = Number(options.files);
const SECONDS = Number(options.seconds);
const CLIENTS = 8;
/** Files that a group file includes. */
const GROUP = 20;

/** A file of some 120 lines, with functions and a class. */
function part(number) {
  const functions = Array.from(
    { length: 8 },
    (_, one) => `/** Fare ${one} of boat ${number}. */
function boat_${number}_fare_${one}(int $miles, array $guests): int {
    $total = $miles * ${one + 1};
    foreach ($guests as $guest => $age) {
        if ($age < 3) {
            continue;
        } elseif ($age < 16) {
            $total += intdiv($miles, 2);
        } else {
            $total += $miles;
        }
    }
    $rebate = count($guests) > 4 ? 10 : 0;
    return $total - intdiv($total * $rebate, 100);
}
`,
  );
  return `<?php
${functions.join('')}
class Boat${number} {
    private array $seats = [];
    public function __construct(private string $name, private int $size = ${number}) {
    }
    public function book(string $guest): bool {
        if (count($this->seats) >= $this->size) {
            return false;
        }
        $this->seats[] = $guest;
        return true;
    }
    public function text(): string {
        $names = implode(', ', $this->seats);
        return "$this->name: $names";
    }
}
`;
}

function files() {
  const found = {};
  const groups = [];
  for (let number = 0; number < FILES; number += 1) {
    found[`parts/boat${number}.php`] = part(number);
  }
  for (let first = 0; first < FILES; first += GROUP) {
    const names = Array.from(
      { length: Math.min(GROUP, FILES - first) },
      (_, one) => `parts/boat${first + one}.php`,
    );
    found[`group${first}.php`] =
      `<?php\n${names.map((name) => `require_once __DIR__ . '/${name}';`).join('\n')}\n`;
    groups.push(`require __DIR__ . '/group${first}.php';`);
  }
  found['page.php'] = `<?php
function page(int $number): string {
    $total = 0;
    for ($one = 0; $one < 40; $one += 1) {
        $fare = "boat_{$one}_fare_3";
        $total += $fare($number, ['a' => 40, 'b' => 7, 'c' => 1]);
    }
    $boat = new Boat7('Sandpiper');
    $boat->book("guest $number");
    return $boat->text() . ' ' . $total;
}
`;
  found['index.php'] =
    `<?php\n${groups.join('\n')}\nrequire __DIR__ . '/page.php';\necho page((int) $_SERVER['QUERY_STRING']);\n`;
  return found;
}

function configure(folder, port) {
  const work = join(folder, 'nginx');
  mkdirSync(work);
  mkdirSync(join(folder, 'parts'));
  const temporary = ['client_body', 'fastcgi', 'proxy', 'uwsgi', 'scgi'].map(
    (kind) => `${kind}_temp_path ${work};`,
  );
  const all = {
    ...files(),
    'fpm.conf': `[global]
error_log = ${folder}/fpm.log
daemonize = no
[www]
user = root
group = root
listen = ${folder}/fpm.sock
pm = static
pm.max_children = 4
clear_env = no
php_admin_value[opcache.enable] = 1
php_admin_value[opcache.max_accelerated_files] = 10000
`,
    'nginx.conf': `user root; pid ${work}/pid; error_log ${work}/log; daemon off; events {}
http { access_log off; ${temporary.join(' ')}
server { listen 127.0.0.1:${port}; root ${folder}; location / {
include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME ${folder}/index.php;
fastcgi_pass unix:${folder}/fpm.sock; } } }`,
  };
  for (const [name, text] of Object.entries(all)) writeFileSync(join(folder, name), text);
}

const answered = (port, number, agent) =>
  new Promise((done) => {
    get({ host: '127.0.0.1', port, path: `/?${number}`, agent }, (response) => {
      let text = '';
      response.on('data', (part) => (text += part));
      response.on('end', () => done(text));
    }).on('error', () => done(''));
  });

const agent = new Agent({ keepAlive: true, maxSockets: CLIENTS });
const expected = new Map();
/** Milliseconds of each answer in some seconds of 8 clients, and how many were wrong. */
async function load(port) {
  const times = [];
  let wrong = 0;
  const until = performance.now() + SECONDS * 1000;
  await Promise.all(
    Array.from({ length: CLIENTS }, async (_, client) => {
      for (let count = 0; performance.now() < until; count += 1) {
        const number = (client * 7 + count) % 50;
        const began = performance.now();
        const text = await answered(port, number, agent);
        times.push(performance.now() - began);
        if (text !== expected.get(number)) wrong += 1;
      }
    }),
  );
  times.sort((a, b) => a - b);
  return {
    rate: times.length / SECONDS,
    median: times[times.length >> 1],
    p99: times[Math.floor(times.length * 0.99)],
    wrong,
  };
}

const folder = mkdtempSync('/tmp/amber-large-');
const port = await freePort();
configure(folder, port);
const nginx = spawn('nginx', ['-c', join(folder, 'nginx.conf')], { stdio: 'inherit' });
const fpm = spawn('php-fpm8.2', ['-R', '-y', join(folder, 'fpm.conf'), '-F'], {
  stdio: 'ignore',
  cwd: folder,
  env: { ...process.env, ...agentEnvironment(process.env) },
});
while ((await answered(port, 1, agent)) === '' || (await answered(port, 1, agent)).startsWith('<html>'))
  await pause(100);
for (let number = 0; number < 50; number += 1) expected.set(number, await answered(port, number, agent));
await load(port);

const page = join(folder, 'page.php');
const SESSIONS = {
  'attached, nothing marked': [],
  'a logpoint in one file': ['--log', `${page}:9 "{$total} of {$number}"`],
  'a counter in one file': ['--count', `${page}:9`],
  'a logpoint by function': ['--log', 'Boat7.text "{count($this->seats)}"'],
  'a breakpoint that is never true': ['--break', `${page}:9 when $total < 0`],
};
for (const [name, marks] of Object.entries(SESSIONS)) {
  const bare = await load(port);
  const amber = spawn(process.execPath, [AMBER, 'attach', String(fpm.pid), ...marks], {
    cwd: folder,
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  let told = '';
  amber.stdout.on('data', (text) => (told += text));
  while (!told.includes('attached to') || (marks.length > 0 && !/is on|waits/.test(told))) await pause(50);
  // What is put into files is made once.
  await load(port);
  const attached = await load(port);
  amber.stdin.write('marks\n');
  await pause(1_000);
  amber.stdin.end('detach\n');
  await new Promise((done) => amber.on('exit', done));
  const hits = told.match(/^ +1 +\w+ +on +.*$/m)?.[0] ?? '';
  const ms = ({ median, p99 }) => `${median.toFixed(1)} ms, 99 % ${p99.toFixed(1)}`;
  console.log(
    `${name.padEnd(34)} ${(attached.median / bare.median).toFixed(2)}x a page (${ms(attached)}; bare ${ms(bare)}), rate ${(attached.rate / bare.rate).toFixed(2)}x of ${bare.rate.toFixed(0)}, wrong ${attached.wrong + bare.wrong} ${hits}`,
  );
}
fpm.kill('SIGTERM');
nginx.kill('SIGTERM');
await pause(500);
rmSync(folder, { recursive: true, force: true });
process.exit(0);
