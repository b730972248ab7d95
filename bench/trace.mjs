// What a trace costs a service: requests with nothing marked, with three logpoints, with the same as print lines;
// how many hits a second come into a trail; and what a service feels of a reader that stands still.
import { execFileSync, spawn } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, readFileSync, readSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import { inTurn, median } from './programs.mjs';

const here = import.meta.dirname;
const main = join(here, '..', 'dist', 'src', 'cli', 'main.js');
export const CLIENTS = 4;
const REQUESTS = 400;
/** Passes of the hot line in one request of the flood, and in the one by which throughput is told. */
const FLOOD = 200;
const HOT = 200_000;
const STILL = 10_000;

/** `/`: three values; `/hot?n=N`: a line that is passed N times. HAND stands where a print line may be. */
const SERVERS = {
  python: {
    file: 'app.py',
    command: ['python3', 'app.py'],
    text: `from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
import sys
class Handler(BaseHTTPRequestHandler):
    protocol_version = 'HTTP/1.1'
    disable_nagle_algorithm = True
    def do_GET(self):
        body = b'%d' % (hot(int(self.path.split('=')[1])) if 'hot' in self.path else quote(len(self.path)))
        self.send_response(200)
        self.send_header('Content-Length', str(len(body)))
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
def quote(n):
    single = n * 2
    HAND1
    back = single * 9
    HAND2
    total = single + back
    HAND3
    return total
def hot(n):
    for i in range(n):
        last = i
    return last
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
server.daemon_threads = True
print('http://127.0.0.1:%d' % server.server_address[1], flush=True)
server.serve_forever()
`,
    hand: (name) => `print('${name}', ${name}, flush=True)`,
    values: (name) => `{${name}}`,
    hotLine: 'last = i',
  },
  node: {
    file: 'app.js',
    command: [process.execPath, 'app.js'],
    text: `const http = require('node:http');
function quote(n) {
  const single = n * 2;
  HAND1;
  const back = single * 9;
  HAND2;
  const total = single + back;
  HAND3;
  return total;
}
function hot(n) {
  let last = 0;
  for (let i = 0; i < n; i += 1) {
    last = i;
  }
  return last;
}
const server = http.createServer((request, response) => {
  const { url } = request;
  response.end(String(url.includes('hot') ? hot(Number(url.split('=')[1])) : quote(url.length)));
});
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`,
    hand: (name) => `console.log('${name}', ${name})`,
    values: (name) => `{${name}}`,
    hotLine: 'last = i;',
  },
  ruby: {
    file: 'app.rb',
    command: ['ruby', 'app.rb'],
    text: `$stdout.sync = true
require 'webrick'
def quote(n)
  single = n * 2
  HAND1
  back = single * 9
  HAND2
  total = single + back
  HAND3
  total
end
def hot(n)
  last = 0
  n.times do |i|
    last = i
  end
  last
end
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/') do |request, response|
  hot = request.query['n']
  response.body = (hot ? hot(hot.to_i) : quote(request.path.size)).to_s
end
puts "http://127.0.0.1:#{server.config[:Port]}"
server.start
`,
    hand: (name) => `puts "${name} #{${name}}"`,
    values: (name) => `{${name}}`,
    hotLine: '    last = i',
  },
  php: {
    file: 'index.php',
    command: ['php', '-S', '127.0.0.1:0'],
    text: `<?php
function quote(int $n): int
{
    $single = $n * 2;
    HAND1;
    $back = $single * 9;
    HAND2;
    $total = $single + $back;
    HAND3;
    return $total;
}
function hot(int $n): int
{
    for ($i = 0; $i < $n; $i++) {
        $last = $i;
    }
    return $last;
}
echo isset($_GET['n']) ? hot((int) $_GET['n']) : quote(strlen($_SERVER['REQUEST_URI']));
`,
    hand: (name) => `fwrite(STDERR_OF_SERVER, "${name} $${name}\\n")`,
    values: (name) => `{$${name}}`,
    hotLine: '        $last = $i;',
  },
};

const NAMES = ['single', 'back', 'total'];

function sourceOf(server, isPrinting) {
  return NAMES.reduce((text, name, index) => {
    const hand = server.hand(name).replace('STDERR_OF_SERVER', "fopen('php://stderr', 'w')");
    const line = isPrinting ? hand : '';
    // An empty statement keeps the lines where they are.
    return text.replace(
      `HAND${index + 1}`,
      line || (server.file === 'app.py' ? 'pass' : server.file === 'app.rb' ? 'nil' : '0'),
    );
  }, server.text);
}

export async function serve(server, isPrinting, withAgent, limit) {
  const folder = mkdtempSync(join(tmpdir(), 'amber-bench-'));
  writeFileSync(join(folder, server.file), server.hand ? sourceOf(server, isPrinting) : server.text);
  if (limit) writeFileSync(join(folder, 'amber.yaml'), `limits: { perSecond: ${limit} }\n`);
  const command = withAgent ? [process.execPath, main, 'run', '--', ...server.command] : server.command;
  const child = spawn(command[0], command.slice(1), {
    cwd: folder,
    stdio: ['ignore', 'pipe', 'pipe'],
    detached: true,
  });
  const url = await new Promise((done) => {
    let seen = '';
    const look = (chunk) => {
      seen += chunk;
      const found = /http:\/\/127\.0\.0\.1:\d+/.exec(seen)?.[0];
      if (found) done(found);
    };
    child.stdout.on('data', look);
    child.stderr.on('data', look);
  });
  return { folder, url, pid: pidOf(child.pid, withAgent), stop: () => process.kill(-child.pid, 'SIGKILL') };
}

/** Under `amber run` the program is its child. */
function pidOf(pid, isChild) {
  return isChild
    ? Number(readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ')[0])
    : pid;
}

/** Not kept alive: two small writes of a server on one connection would wait 40 ms for each other. */
const agent = new http.Agent({ keepAlive: false, maxSockets: CLIENTS });

function get(url) {
  return new Promise((done, failed) => {
    const began = performance.now();
    http
      .get(url, { agent }, (response) => {
        response.resume();
        response.once('end', () => done(performance.now() - began));
      })
      .once('error', failed);
  });
}

/** The milliseconds of each of some requests, from several clients at once. */
export async function load(url, count, path = '/') {
  const times = [];
  await Promise.all(
    Array.from({ length: CLIENTS }, async () => {
      for (let sent = 0; sent < count / CLIENTS; sent += 1) times.push(await get(url + path));
    }),
  );
  return times;
}

async function timed(url) {
  const began = performance.now();
  await load(url, REQUESTS);
  return (performance.now() - began) / 1000;
}

/** @param isShown whether it has a terminal, in which all of it is shown */
export async function traceOf(service, options, isShown = false) {
  const trail = join(service.folder, 'trail.ndjson');
  const command = [process.execPath, main, 'trace', `${service.pid}`, ...options, '--trail', trail];
  const quoted = command.map((word) => `'${word}'`).join(' ');
  const [program, ...args] = isShown ? ['script', '-qefc', quoted, '/dev/null'] : command;
  const child = spawn(program, args, { cwd: service.folder, stdio: ['ignore', 'pipe', 'inherit'] });
  await new Promise((done) => {
    let seen = '';
    child.stdout.on('data', (chunk) => {
      // A terminal has colours.
      seen += stripVTControlCharacters(`${chunk}`);
      if (
        (seen.match(/mark \d+ at .* is on|follows \d+ lines/g) ?? []).length >=
        options.filter((option) => option.startsWith('--')).length
      )
        done();
    });
  });
  const ended = new Promise((done) => child.once('close', done));
  return {
    child,
    trail,
    async stop() {
      process.kill(pidOf(child.pid, isShown), 'SIGINT');
      await ended;
    },
  };
}

const lineOf = (server, text) => server.text.split('\n').findIndex((line) => line.includes(text)) + 1;
const percentile = (times, share) => [...times].sort((a, b) => a - b)[Math.floor(times.length * share)];

/** What a trail holds so far, read on from where it was read last. */
class TrailCounts {
  hits = 0;
  dropped = 0;
  #at = 0;
  #rest = '';
  #path;

  constructor(path) {
    this.#path = path;
  }

  read() {
    const handle = openSync(this.#path, 'r');
    const chunk = Buffer.alloc(1 << 20);
    for (;;) {
      const length = readSync(handle, chunk, 0, chunk.length, this.#at);
      if (length === 0) break;
      this.#at += length;
      const lines = (this.#rest + chunk.toString('latin1', 0, length)).split('\n');
      this.#rest = lines.pop();
      for (const line of lines) this.#take(line);
    }
    closeSync(handle);
    return { hits: this.hits, dropped: this.dropped };
  }

  #take(line) {
    if (line.startsWith('{"kind":"hits"')) this.hits += JSON.parse(line).rows.length;
    else if (line.startsWith('{"kind":"hit"')) this.hits += 1;
    else if (line.startsWith('{"kind":"dropped"')) this.dropped += JSON.parse(line).count;
  }
}

async function costs(row, runtime, server, rounds, language) {
  const [bare, idle, traced, printing] = await Promise.all([
    serve(server, false, false),
    serve(server, false, true),
    serve(server, false, true),
    serve(server, true, false),
  ]);
  const unused = await traceOf(idle, ['--count', `${server.file}:${lineOf(server, server.hotLine)}`]);
  const logs = NAMES.map((name, index) => [
    '--log',
    `${server.file}:${lineOf(server, `HAND${index + 1}`) + 1} "${name} ${server.values(name)}"`,
  ]);
  const telling = await traceOf(traced, logs.flat());
  const [one, nothing, three, hand] = await inTurn(
    [bare, idle, traced, printing].map(
      ({ url }) =>
        () =>
          timed(url),
    ),
    rounds,
  );
  const micros = (seconds) => `${Math.round(((seconds - one) / REQUESTS) * 1e6)} µs a request`;
  row(
    'requests of a service, each told from beginning to end, nothing marked, to bare',
    runtime,
    `${(nothing / one).toFixed(2)}x (${micros(nothing)})`,
    TOLD_AIMS[language],
  );
  row(
    'requests of a service with three logpoints, to bare',
    runtime,
    `${(three / one).toFixed(2)}x (${Math.round(REQUESTS / three)} requests a second)`,
  );
  row('the same, to the same three as print lines', runtime, `${(three / hand).toFixed(2)}x`);
  await unused.stop();
  await telling.stop();
  for (const service of [bare, idle, traced, printing]) service.stop();
}

/** What a request may cost more that is told and meets no mark. */
const TOLD_AIMS = { ruby: '1.2x', php: '1.3x' };

/** Hits a second, or all that the target makes. */
const AIMS = { node: '200,000', python: '200,000', ruby: '100,000', php: '100,000' };

async function throughput(row, runtime, server, language) {
  const service = await serve(server, false, true, 100_000_000);
  const trace = await traceOf(
    service,
    [
      '--log',
      `${server.file}:${lineOf(server, server.hotLine)} "{${server.file.endsWith('php') ? '$i' : 'i'}}"`,
    ],
    true,
  );
  const counts = new TrailCounts(trace.trail);
  const rates = [];
  let told = { hits: 0, dropped: 0 };
  for (let round = 1; round <= 3; round += 1) {
    const before = told;
    const began = performance.now();
    await get(`${service.url}/hot?n=${HOT}`);
    do {
      await new Promise((done) => setTimeout(done, 20));
      told = counts.read();
    } while (told.hits + told.dropped < round * HOT);
    rates.push([(told.hits - before.hits) / ((performance.now() - began) / 1000), told.hits - before.hits]);
  }
  const rate = median(rates.map(([perSecond]) => perSecond));
  const share = Math.round((median(rates.map(([, hits]) => hits)) / HOT) * 100);
  row(
    `hits into a trail, from ${HOT.toLocaleString('en')} passes at full speed, shown in a terminal meanwhile`,
    runtime,
    `${Math.round(rate / 1000).toLocaleString('en')},000 a second (${share} % told, the rest counted)`,
    AIMS[language],
  );
  await trace.stop();
  service.stop();
}

async function stillness(row, runtime, server) {
  const service = await serve(server, false, true);
  const trace = await traceOf(service, [
    '--log',
    `${server.file}:${lineOf(server, server.hotLine)} "{${server.file.endsWith('php') ? '$i' : 'i'}}"`,
  ]);
  await load(service.url, 100, `/hot?n=${FLOOD}`);
  const reading = await load(service.url, 400, `/hot?n=${FLOOD}`);
  trace.child.kill('SIGSTOP');
  const still = [];
  const until = performance.now() + STILL;
  while (performance.now() < until) still.push(...(await load(service.url, 40, `/hot?n=${FLOOD}`)));
  trace.child.kill('SIGCONT');
  const all = (500 + still.length) * FLOOD;
  const counts = new TrailCounts(trace.trail);
  let told = { hits: 0, dropped: 0 };
  for (let tries = 0; tries < 600 && told.hits + told.dropped < all; tries += 1) {
    await new Promise((done) => setTimeout(done, 100));
    told = counts.read();
  }
  const ms = (times, share) => percentile(times, share).toFixed(1);
  row(
    'a request while the reader stands still for 10 s: median, 99th percentile, longest',
    runtime,
    `${ms(still, 0.5)}, ${ms(still, 0.99)}, ${Math.max(...still).toFixed(0)} ms (it reads: ${ms(reading, 0.5)}, ${ms(reading, 0.99)}, ${Math.max(...reading).toFixed(0)} ms)`,
  );
  row(
    'hits of it that are told or counted, of all',
    runtime,
    `${(told.hits + told.dropped).toLocaleString('en')} of ${all.toLocaleString('en')} (${told.dropped.toLocaleString('en')} counted)`,
  );
  await trace.stop();
  service.stop();
}

export function trailRows(row, hits) {
  const path = join(mkdtempSync(join(tmpdir(), 'amber-bench-')), 'trail.ndjson');
  const millions = hits / 1_000_000;
  for (const [what, name] of [
    ['write', 'written'],
    ['read', 'summed up'],
  ]) {
    const script = join(here, 'trail.mjs');
    const { seconds, megabytes } = JSON.parse(
      execFileSync(process.execPath, [script, what, `${hits}`, path], { encoding: 'utf8' }),
    );
    row(
      `a trail of ${millions} million hits, ${name}`,
      'node',
      `${(seconds / millions).toFixed(1)} s a million, ${Math.round(megabytes)} MB of memory`,
      '200 MB',
    );
  }
}

/** `has`: whether this machine has the language. */
export async function traceRows(row, rounds, language, runtime) {
  const server = SERVERS[language];
  await costs(row, runtime, server, rounds, language);
  await throughput(row, runtime, server, language);
  await stillness(row, runtime, server);
}
