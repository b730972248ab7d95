/*
 * Attaches to real servers that nobody has prepared, with 8 clients on them, again and again, and looks at every answer:
 * workers of a pre-forking server, an event loop, workers of another user, php-fpm behind nginx.
 * node bench/unprepared/servers.mjs [SERVER…] [--times 10]
 * Every other session ends by kill -9. Rates before the first and after the last, bare.
 */
import { spawn, spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, get } from 'node:http';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { AMBER, freePort, pause } from '../faults/served.mjs';

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: { times: { type: 'string', default: '10' } },
});
const CLIENTS = 8;
/** Milliseconds of a session, from the moment in which the mark is on. */
const SESSION = 1_000;
/** Whom Debian's php-fpm serves as. */
const POOL = 'www-data';

const WSGI = `import json
def quote(number):
    total = number * 2
    return total
def app(environ, start):
    body = str(quote(int(environ['QUERY_STRING']))).encode()
    start('200 OK', [('Content-Length', str(len(body)))])
    return [body]
`;
const ASGI = `import asyncio
def quote(number):
    total = number * 2
    return total
async def app(scope, receive, send):
    if scope['type'] != 'http':
        return
    await asyncio.sleep(0.002)
    body = str(quote(int(scope['query_string']))).encode()
    await send({'type': 'http.response.start', 'status': 200, 'headers': [(b'content-length', str(len(body)).encode())]})
    await send({'type': 'http.response.body', 'body': body})
`;
const QUOTE = `def quote(number)
  total = number * 2
  total
end
`;
const RACK = `require_relative 'quote'
run ->(env) { [200, { 'content-type' => 'text/plain' }, [quote(env['QUERY_STRING'].to_i).to_s]] }
`;
const PHP = `<?php
function quote(int $number): int {
    $total = $number * 2;
    return $total;
}
echo quote((int) $_SERVER['QUERY_STRING']);
`;

const python = process.env.AMBER_PYTHON || '/usr/bin/python3';
const SERVERS = {
  'gunicorn, 4 workers': {
    files: { 'app.py': WSGI },
    command: (port) => [python, '-m', 'gunicorn', '-w', '4', '-b', `127.0.0.1:${port}`, 'app:app'],
    attach: ['fares'],
    mark: 'app.py:4 "{total}"',
  },
  'gunicorn, 2 workers of another user': {
    files: { 'app.py': WSGI },
    command: (port) => [
      python,
      ...['-m', 'gunicorn', '-w', '2', '-u', 'nobody', '-g', 'nogroup'],
      ...['-b', `127.0.0.1:${port}`, 'app:app'],
    ],
    attach: ['fares'],
    mark: 'app.py:4 "{total}"',
  },
  uvicorn: {
    files: { 'app.py': ASGI },
    command: (port) => [python, '-m', 'uvicorn', '--port', `${port}`, '--log-level', 'error', 'app:app'],
    attach: ['fares'],
    mark: 'app.py:4 "{total}"',
  },
  'puma, 2 workers': {
    files: { 'quote.rb': QUOTE, 'config.ru': RACK },
    command: (port) => ['puma', '-w', '2', '-b', `tcp://127.0.0.1:${port}`, 'config.ru'],
    attach: ['fares'],
    mark: 'quote.rb:3 "{total}"',
  },
  'php-fpm, 4 workers of another user, nginx': {
    files: { 'index.php': PHP },
    command: fpm,
    attach: ['php-fpm', '--document-root', '.'],
    mark: 'index.php:4 "{$total}"',
    lasts: 2_500,
  },
};

/** Configures php-fpm and nginx in the folder; nginx is started as well. */
function fpm(port, folder) {
  const work = join(folder, 'nginx');
  mkdirSync(work);
  const lines = {
    'fpm.conf': [
      `[global]\nerror_log = ${folder}/fpm.log\ndaemonize = no\n[www]\nuser = ${POOL}\ngroup = ${POOL}`,
      `listen = ${folder}/fpm.sock\nlisten.mode = 0666\npm = static\npm.max_children = 4`,
      'php_admin_value[user_ini.cache_ttl] = 1\n',
    ],
    'nginx.conf': [
      `pid ${work}/pid; error_log ${work}/log; daemon off; events {}`,
      'http { access_log off;',
      ...['client_body', 'fastcgi', 'proxy', 'uwsgi', 'scgi'].map((kind) => `${kind}_temp_path ${work};`),
      `server { listen 127.0.0.1:${port}; root ${folder}; location / {`,
      `include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME ${folder}/index.php;`,
      `fastcgi_pass unix:${folder}/fpm.sock; } } }`,
    ],
  };
  for (const [name, text] of Object.entries(lines)) {
    writeFileSync(join(folder, name), text.join('\n'));
  }
  children.push(spawn('nginx', ['-c', join(folder, 'nginx.conf')], { stdio: 'ignore' }));
  return ['php-fpm8.2', '-y', join(folder, 'fpm.conf'), '-F'];
}

let children = [];

const agent = new Agent({ keepAlive: true });

function ask(port, number) {
  return new Promise((done, failed) => {
    get({ port, host: '127.0.0.1', path: `/?${number}`, agent }, (response) => {
      let body = '';
      response.on('data', (chunk) => {
        body += chunk;
      });
      response.on('end', () => done(`${response.statusCode} ${body}`));
    }).on('error', failed);
  });
}

/** Clients that ask all the while: what was wrong, what took long, and how many were answered. */
function load(port) {
  const state = { answered: 0, wrong: [], longest: 0, isOver: false };
  const client = async (first) => {
    for (let number = first; !state.isOver; number += CLIENTS) {
      const began = performance.now();
      const answer = await ask(port, number).catch((error) => `${error.code}`);
      state.longest = Math.max(state.longest, performance.now() - began);
      state.answered += 1;
      // A keep-alive connection that a server closes just as it is used is the server's own.
      if (answer !== `200 ${number * 2}` && !(answer === 'ECONNRESET' && state.isOver)) {
        state.wrong.push(`${number}: ${answer.slice(0, 80)}`);
      }
    }
  };
  state.over = Promise.all(Array.from({ length: CLIENTS }, (_, index) => client(index)));
  return state;
}

/** Answers a second: the median of five seconds. */
async function rate(state) {
  const rates = [];
  for (let second = 0; second < 5; second += 1) {
    const before = state.answered;
    await pause(1_000);
    rates.push(state.answered - before);
  }
  return rates.sort((one, other) => one - other)[2];
}

/** One session: a logpoint, for a second; then it leaves, or is killed. */
async function session(folder, { attach, mark, lasts = SESSION }, isKilled) {
  const began = performance.now();
  const amber = spawn(process.execPath, [AMBER, 'attach', ...attach, '--yes'], { cwd: folder });
  let text = '';
  let up;
  const isUp = new Promise((done) => {
    up = done;
  });
  const ended = new Promise((done) => amber.on('close', done));
  const hear = (chunk) => {
    text += chunk;
    if (/mark 1 at/.test(text)) {
      up();
    }
  };
  amber.stdout.on('data', hear);
  amber.stderr.on('data', hear);
  amber.stdin.on('error', () => undefined);
  amber.stdin.write(`log ${mark}\n`);
  await Promise.race([isUp, ended, pause(30_000)]);
  const took = performance.now() - began;
  await pause(lasts);
  if (isKilled) {
    amber.kill('SIGKILL');
  } else {
    amber.stdin.end();
  }
  await ended;
  const hits = [...text.matchAll(/^\d\d:\d\d:\d\d /gm)].length;
  return { took, hits, isOn: /mark 1 at .* is on/.test(text), text };
}

async function bench(name) {
  const { files, command, ...how } = SERVERS[name];
  const folder = join(mkdtempSync('/tmp/amber-servers-'), 'fares');
  mkdirSync(folder);
  chmodSync(join(folder, '..'), 0o755);
  for (const [file, text] of Object.entries(files)) {
    writeFileSync(join(folder, file), text);
  }
  const port = await freePort();
  children = [];
  const [program, ...args] = command(port, folder);
  let errors = '';
  const server = spawn(program, args, { cwd: folder, stdio: ['ignore', 'pipe', 'pipe'] });
  server.stdout.on('data', (chunk) => {
    errors += chunk;
  });
  server.stderr.on('data', (chunk) => {
    errors += chunk;
  });
  children.push(server);
  try {
    for (let attempt = 0; (await ask(port, 1).catch(() => '')) !== '200 2'; attempt += 1) {
      if (attempt === 100) {
        throw new Error(`${name} does not answer: ${errors}`);
      }
      await pause(50);
    }
    const state = load(port);
    await pause(1_000);
    const before = await rate(state);
    const sessions = [];
    for (let time = 0; time < Number(options.times); time += 1) {
      sessions.push(await session(folder, how, time % 2 === 1));
      await pause(300);
    }
    await pause(4_000);
    const after = await rate(state);
    state.isOver = true;
    await state.over;
    const took = sessions.map((each) => each.took).sort((one, other) => one - other);
    const failed = sessions.filter(({ isOn }) => !isOn);
    const left = readdirSync(folder).filter((file) => /^\.(amber-|user)/.test(file));
    process.stdout.write(
      `${name}: ${sessions.length - failed.length} of ${sessions.length} sessions, ${sessions.filter(({ text }) => text.includes('spliced')).length} spliced at once, ${sessions.reduce((sum, { hits }) => sum + hits, 0)} lines of hits, ${state.answered} answers, ${state.wrong.length} wrong, longest ${Math.round(state.longest)} ms; to the mark ${Math.round(took[took.length >> 1])} ms (median); after to before ${(after / before).toFixed(2)} (${before}/s); left: ${left.join(' ') || 'nothing'}\n`,
    );
    for (const text of [
      ...state.wrong.slice(0, 5),
      ...failed.slice(0, 2).map((each) => each.text.slice(0, 600)),
      ...(state.wrong.length > 0 ? [errors.slice(-3_000)] : []),
    ]) {
      process.stdout.write(`  ${text}\n`);
    }
  } finally {
    for (const child of children) {
      child.kill('SIGTERM');
    }
    await pause(500);
    spawnSync('pkill', ['-9', '-f', folder]);
    rmSync(join(folder, '..'), { recursive: true, force: true });
  }
}

for (const name of Object.keys(SERVERS).filter(
  (each) => positionals.length === 0 || positionals.some((word) => each.startsWith(word)),
)) {
  await bench(name);
}
agent.destroy();
process.exit();
