import { Agent, get } from 'node:http';
import { join } from 'node:path';
import { parseLog } from '../../src/core/marks/grammar.js';
import type { EndedRequest } from '../../src/core/marks/told.js';
import type { Description } from '../../src/targets/description.js';
import { type Attached, attachTo, useRunFolder } from '../support/attached.js';
import { HitCollector } from '../support/hits.js';
import { lineOf } from '../support/node.js';
import { attachToPhp, describePhp, PhpFpm } from '../support/php.js';
import { endPrograms } from '../support/program.js';
import { Program, pythons } from '../support/python.js';
import { servers } from '../support/servers.js';

const REQUESTS = 40;
const CLIENTS = 8;
const TRACE = '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01';

/** Collects requests as they end. */
class EndCollector {
  readonly ended: EndedRequest[] = [];
  readonly begun: number[] = [];
  #waiting: (() => void)[] = [];

  constructor({ sync }: Attached) {
    sync.on('begun', (begun) => this.begun.push(...begun.map(({ id }) => id)));
    sync.on('ended', (ended) => {
      this.ended.push(...ended);
      for (const check of this.#waiting.splice(0)) {
        check();
      }
    });
  }

  async until(count: number): Promise<EndedRequest[]> {
    while (this.ended.length < count) {
      await new Promise<void>((done) => this.#waiting.push(done));
    }
    return this.ended;
  }
}

/** That each request was told once, with its status, its duration and when that was. */
function expectWhole(collector: EndCollector, from: number, to: number): void {
  const { ended, begun } = collector;
  expect(ended.map(({ request }) => request.target).sort()).toEqual(
    Array.from({ length: REQUESTS }, (_, number) => `/n?number=${number}`).sort(),
  );
  expect(ended.filter(({ status }) => status !== 200)).toEqual([]);
  expect(new Set(begun).size).toBe(REQUESTS);
  for (const { milliseconds, wall = 0 } of ended) {
    expect(milliseconds).toBeGreaterThan(0);
    expect(milliseconds).toBeLessThan(to - from + 10);
    expect(wall).toBeGreaterThan(from - 10);
    expect(wall).toBeLessThan(to + 1_000);
  }
}

async function askAll(ask: (number: number) => Promise<unknown>): Promise<void> {
  const clients = Array.from({ length: CLIENTS }, async (_, client) => {
    for (let number = client; number < REQUESTS; number += CLIENTS) {
      expect(await ask(number)).toBe(`${number}`);
    }
  });
  await Promise.all(clients);
}

describe.each(servers)('every request of $name', ({ test, start, file, source }) => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  test('is told from beginning to end, and marks are for those that they are for', async () => {
    const { program, base, attached } = await start(runFolder(), { requests: true });
    const ask = async (number: number) =>
      await (
        await fetch(`${base}/n?number=${number}`, {
          headers: { 'x-number': `${number}`, traceparent: TRACE },
        })
      ).text();
    const path = join(program.folder, file);
    const line = lineOf(source, 'told = number') + 1;
    const told = new HitCollector(attached);
    const ends = new EndCollector(attached);
    const add = (clause: string) =>
      attached.store.add(parseLog(`${file}:${line} "{number}" for ${clause}`), path, 'log');
    const [one, none, place] = [
      add('header x-number=7'),
      add('request POST /*'),
      add('request GET /n?number=3*'),
    ];
    await attached.sync.send();
    const from = Date.now();
    await askAll(ask);
    const to = Date.now();
    await ends.until(REQUESTS);
    expectWhole(ends, from, to);
    // Two hits a request: the header is one request's; 3 and 30 to 39 begin with a 3.
    await told.until(24);
    const of = (mark: object) => told.hits.filter((hit) => hit.mark === mark).map(({ text }) => text);
    expect(of(one)).toEqual(['7', '7']);
    expect(of(none)).toEqual([]);
    expect(new Set(of(place))).toEqual(
      new Set(['3', ...Array.from({ length: 10 }, (_, index) => `${30 + index}`)]),
    );
    await attached.sync.refresh();
    expect(attached.sync.status(none).hits).toBe(0);
    await attached.session.detach();
    expect(await ask(8)).toBe('8');
  });
});

describe('requests on connections that were there before', () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  it('are told to whoever is attached now, and end when they end', async () => {
    const program = new Program(pythons().at(-1)?.path ?? '', KEPT);
    const base = /http:\S+/.exec(await program.line('http:'))?.[0] ?? '';
    const agent = new Agent({ keepAlive: true, maxSockets: 1 });
    const ask = () =>
      new Promise<string>((done, failed) => {
        const asked = get(base, { agent }, (response) => {
          response.setEncoding('utf8').once('data', done);
        });
        asked.once('error', failed);
      });
    // Each answer is the port of the one connection that all of them come through.
    const connection = await ask();
    for (let turn = 0; turn < 2; turn += 1) {
      const attached = await attachTo(program.description(runFolder()) as Description, { requests: true });
      const ends = new EndCollector(attached);
      expect(await ask()).toBe(connection);
      expect(await ends.until(1)).toMatchObject([{ status: 200 }]);
      expect(await ask()).toBe(connection);
      await ends.until(2);
      await attached.session.detach();
    }
    agent.destroy();
  });
});

const KEPT = `from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
class Handler(BaseHTTPRequestHandler):
    protocol_version = 'HTTP/1.1'
    def do_GET(self):
        body = b'%d' % self.client_address[1]
        self.send_response(200)
        self.send_header('Content-Length', str(len(body)))
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
server.daemon_threads = True
print('http://127.0.0.1:%d' % server.server_address[1], flush=True)
server.serve_forever()
`;

const PHP = `<?php
function work(string $number): string
{
    $told = $number;
    return $told;
}
usleep(1000);
http_response_code(200);
echo work($_GET['number']);
`;

describePhp('every request of php-fpm', ['fpm'], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  it('is told from beginning to end, also one that meets no mark, and marks are for those that they are for', async () => {
    const fpm = await PhpFpm.start({ 'index.php': PHP }, 4);
    const attached = await attachToPhp(runFolder(), fpm.pid, { requests: true });
    const told = new HitCollector(attached);
    const ends = new EndCollector(attached);
    const path = fpm.path();
    const add = (clause: string) =>
      attached.store.add(parseLog(`index.php:5 "{$number}" for ${clause}`), path, 'log');
    const [one, none] = [add('header x-number=7'), add('request POST /*')];
    await attached.sync.send();
    const from = Date.now();
    await askAll((number) => fpm.get(`/n?number=${number}`, 'index.php', { HTTP_X_NUMBER: `${number}` }));
    const to = Date.now();
    await ends.until(REQUESTS);
    expectWhole(ends, from, to);
    await told.until(1);
    expect(told.hits.map(({ mark, text }) => [mark, text])).toEqual([[one, '7']]);
    expect(attached.sync.status(none).hits).toBe(0);
    await attached.session.detach();
    await fpm.end();
  });
});
