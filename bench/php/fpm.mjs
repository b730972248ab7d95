// php-fpm with opcache on, 4 workers behind nginx, and 8 clients that check what they are answered.
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, get } from 'node:http';
import { join } from 'node:path';
import { AMBER, freePort, pause } from '../faults/served.mjs';
import { agentEnvironment } from '../programs.mjs';

const CLIENTS = 8;

/**
 * @param write puts the program into a folder
 * @param location how nginx finds the script, in its own words
 */
export async function serveFpm({ name, write, location }) {
  const folder = mkdtempSync(`/tmp/amber-${name}-`);
  const port = await freePort();
  const work = join(folder, 'nginx');
  const site = join(folder, 'site');
  mkdirSync(work);
  mkdirSync(site);
  await write(site, port);
  const temporary = ['client_body', 'fastcgi', 'proxy', 'uwsgi', 'scgi'].map(
    (kind) => `${kind}_temp_path ${work};`,
  );
  writeFileSync(
    join(folder, 'fpm.conf'),
    `[global]
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
  );
  writeFileSync(
    join(folder, 'nginx.conf'),
    `user root; pid ${work}/pid; error_log ${work}/log; daemon off; events {}
http { access_log off; ${temporary.join(' ')}
server { listen 127.0.0.1:${port}; root ${site}; location / {
include /etc/nginx/fastcgi_params; ${location(site)}
fastcgi_pass unix:${folder}/fpm.sock; } } }`,
  );
  const nginx = spawn('nginx', ['-c', join(folder, 'nginx.conf')], { stdio: 'inherit' });
  const fpm = spawn('php-fpm8.2', ['-R', '-y', join(folder, 'fpm.conf'), '-F'], {
    stdio: 'ignore',
    cwd: site,
    env: { ...process.env, ...agentEnvironment(process.env) },
  });
  return {
    pid: fpm.pid,
    port,
    site,
    async stop() {
      fpm.kill('SIGTERM');
      nginx.kill('SIGTERM');
      await pause(500);
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

const agent = new Agent({ keepAlive: true, maxSockets: CLIENTS });

/** What a path of the service answers; '' when nobody does. */
export function answered(port, path) {
  return new Promise((done) => {
    get({ host: '127.0.0.1', port, path, agent }, (response) => {
      let text = '';
      response.on('data', (part) => (text += part));
      response.on('end', () => done(text));
    }).on('error', () => done(''));
  });
}

/**
 * 8 clients ask for some seconds.
 * @param expected what each path has to answer
 * @returns requests a second, the median and the 99th percentile in milliseconds, how many answers were wrong
 */
export async function load(port, expected, seconds) {
  const paths = [...expected.keys()];
  const times = [];
  let wrong = 0;
  const until = performance.now() + seconds * 1000;
  await Promise.all(
    Array.from({ length: CLIENTS }, async (_, client) => {
      for (let count = 0; performance.now() < until; count += 1) {
        const path = paths[(client * 7 + count) % paths.length];
        const began = performance.now();
        const text = await answered(port, path);
        times.push(performance.now() - began);
        if (text !== expected.get(path)) wrong += 1;
      }
    }),
  );
  times.sort((a, b) => a - b);
  return {
    rate: times.length / seconds,
    median: times[times.length >> 1],
    p99: times[Math.floor(times.length * 0.99)],
    wrong,
  };
}

/** Attaches with marks; `detach()` gives what was told. */
async function attached(pid, folder, marks) {
  const amber = spawn(process.execPath, [AMBER, 'attach', String(pid), ...marks], {
    cwd: folder,
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  let told = '';
  amber.stdout.on('data', (text) => (told += text));
  while (!told.includes('attached to') || (marks.length > 0 && !/is on|waits/.test(told))) await pause(50);
  return {
    async detach() {
      amber.stdin.write('marks\n');
      await pause(1_000);
      amber.stdin.end('detach\n');
      await new Promise((done) => amber.on('exit', done));
      return told.match(/^ +1 +\w+ +on +.*$/m)?.[0] ?? '';
    },
  };
}

/** One session beside bare: @returns both loads, and what is told of the first mark */
export async function besideBare(service, expected, marks, seconds) {
  const { pid, port, site } = service;
  const bare = await load(port, expected, seconds);
  const session = await attached(pid, site, marks);
  // What is put into files is made once.
  await load(port, expected, seconds);
  const watched = await load(port, expected, seconds);
  const hits = await session.detach();
  const after = await load(port, expected, seconds / 2);
  return { bare, watched, after, hits };
}
