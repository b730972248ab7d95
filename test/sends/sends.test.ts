import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { addressExpression } from '../../src/core/requests/sent-pattern.js';
import type { Stop } from '../../src/core/session/stop.js';
import { type Attached, useRunFolder } from '../support/attached.js';
import { HitCollector } from '../support/hits.js';
import { endPrograms } from '../support/program.js';
import {
  nodeProgram,
  nodeService,
  phpProgram,
  pythonProgram,
  pythonService,
  rubyProgram,
  type StartProgram,
  type StartService,
} from '../support/services.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** Somebody who is asked: answers 201 to what is posted, 404 to the rest, and what was asked. */
let harbour: Server;
let asked: string[];
let port: number;
beforeAll(async () => {
  harbour = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk) => {
      body += chunk;
    });
    request.on('end', () => {
      asked.push(`${request.method} ${request.url} ${body}`);
      response.statusCode = request.method === 'POST' ? 201 : 404;
      response.end('{"permit":7}');
    });
  });
  // A connection that is kept and closed here after 5 s may be taken by a program for one more request just then.
  harbour.keepAliveTimeout = 600_000;
  await new Promise<void>((done) => harbour.listen(0, '127.0.0.1', done));
  ({ port } = harbour.address() as AddressInfo);
});
afterAll(() => harbour.close());
beforeEach(() => {
  asked = [];
});

interface Sender {
  name: string;
  start: StartProgram;
  /** What each language calls parts of what is sent, and texts. */
  condition: string;
  header: string;
  status: string;
  /** What gives the number of the boat where it is sent; `number` where nothing is said. */
  own?: string;
}

const LOOP = `
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', permit(int(line)), flush=True)
`;
/** Each asks the harbour for a permit, from a line that holds \`told\`; and once for something else. */
const PYTHON: Record<string, [string, string]> = {
  'http.client': [
    'http.client',
    `import http.client, json, sys
def permit(number):
    other = http.client.HTTPConnection('127.0.0.1', PORT)
    other.request('GET', '/tides')
    other.getresponse().read()
    connection = http.client.HTTPConnection('127.0.0.1', PORT)
    body = json.dumps({'boat': number, 'token': 'pearl'})
    connection.request('POST', '/permits?desk=4', body, {'Content-Type': 'application/json', 'Authorization': 'pearl'})  # told
    return connection.getresponse().status
`,
  ],
  urllib: [
    'urllib',
    `import json, sys, urllib.request, urllib.error
def permit(number):
    try:
        urllib.request.urlopen('http://127.0.0.1:PORT/tides')
    except urllib.error.HTTPError:
        pass
    body = json.dumps({'boat': number, 'token': 'pearl'}).encode()
    request = urllib.request.Request('http://127.0.0.1:PORT/permits?desk=4', body, {'Content-Type': 'application/json', 'Authorization': 'pearl'})
    return urllib.request.urlopen(request).status  # told
`,
  ],
  requests: [
    'requests',
    `import requests, sys
def permit(number):
    requests.get('http://127.0.0.1:PORT/tides')
    answer = requests.post('http://127.0.0.1:PORT/permits?desk=4', json={'boat': number, 'token': 'pearl'}, headers={'Authorization': 'pearl'})  # told
    return answer.status_code
`,
  ],
  httpx: [
    'httpx',
    `import httpx, sys
def permit(number):
    with httpx.Client() as client:
        client.get('http://127.0.0.1:PORT/tides')
        answer = client.post('http://127.0.0.1:PORT/permits?desk=4', json={'boat': number, 'token': 'pearl'}, headers={'Authorization': 'pearl'})  # told
    return answer.status_code
`,
  ],
  'httpx, async': [
    'httpx',
    `import asyncio, httpx, sys
async def ask(number):
    async with httpx.AsyncClient() as client:
        await client.get('http://127.0.0.1:PORT/tides')
        answer = await client.post('http://127.0.0.1:PORT/permits?desk=4', json={'boat': number, 'token': 'pearl'}, headers={'Authorization': 'pearl'})  # told
    return answer.status_code
def permit(number):
    return asyncio.run(ask(number))
`,
  ],
  aiohttp: [
    'aiohttp',
    `import asyncio, aiohttp, sys
async def ask(number):
    async with aiohttp.ClientSession() as session:
        async with session.get('http://127.0.0.1:PORT/tides'):
            pass
        async with session.post('http://127.0.0.1:PORT/permits?desk=4', json={'boat': number, 'token': 'pearl'}, headers={'Authorization': 'pearl'}) as answer:  # told
            return answer.status
def permit(number):
    return asyncio.run(ask(number))
`,
  ],
};

const RUBY = `require 'net/http'
require 'json'
$stdout.sync = true
def permit(number)
  Net::HTTP.get(URI('http://127.0.0.1:PORT/tides'))
  body = JSON.generate('boat' => number, 'token' => 'pearl')
  answer = Net::HTTP.post(URI('http://127.0.0.1:PORT/permits?desk=4'), body, 'Content-Type' => 'application/json', 'Authorization' => 'pearl') # told
  answer.code
end
puts 'ready'
while (line = gets)
  puts "#{line.strip} -> #{permit(line.to_i)}"
end
`;
const rubySender: Sender = {
  name: 'Ruby, Net::HTTP',
  start: rubyProgram(['net/http'], (to) => RUBY.replaceAll('PORT', `${to}`)),
  condition: "sent.body['boat'] == 5",
  header: "sent.headers['authorization']",
  status: 'sent.status',
};

/** \`told\` is on the line that sends. */
const JAVASCRIPT: Record<string, string> = {
  fetch: `async function permit(number) {
  await fetch('http://127.0.0.1:PORT/tides');
  const body = JSON.stringify({ boat: number, token: 'pearl' });
  const headers = { 'Content-Type': 'application/json', Authorization: 'pearl' };
  const answer = await fetch('http://127.0.0.1:PORT/permits?desk=4', { method: 'POST', body, headers }); // told
  return answer.status;
}`,
  'node:http': `const http = require('node:http');
const send = (options, body) => new Promise((resolve) => {
  const request = http.request({ host: '127.0.0.1', port: PORT, ...options }, (answer) => {
    answer.resume();
    resolve(answer.statusCode);
  });
  request.write(body.slice(0, 4));
  request.end(body.slice(4)); // told
});
async function permit(number) {
  await send({ path: '/tides' }, '');
  const body = JSON.stringify({ boat: number, token: 'pearl' });
  const headers = { 'Content-Type': 'application/json', Authorization: 'pearl' };
  return await send({ path: '/permits?desk=4', method: 'POST', headers }, body);
}`,
};
const LINES = `
require('node:readline').createInterface({ input: process.stdin }).on('line', async (line) => {
  console.log(line + ' -> ' + (await permit(Number(line))));
});
console.log('ready');
`;
const nodeSenders: Sender[] = Object.entries(JAVASCRIPT).map(([name, source]) => ({
  name: `Node, ${name}`,
  start: nodeProgram((to) => source.replaceAll('PORT', `${to}`) + LINES),
  condition: 'sent.body.boat === 5',
  header: 'sent.headers.authorization',
  status: 'sent.status',
  own: name === 'fetch' ? 'number' : 'JSON.parse(body).boat',
}));

const PHP: Record<string, string> = {
  curl: `<?php
function ask(string $path, array $options): int
{
    $handle = curl_init("http://127.0.0.1:PORT/$path");
    curl_setopt($handle, CURLOPT_RETURNTRANSFER, true);
    curl_setopt_array($handle, $options);
    curl_exec($handle); // told
    return curl_getinfo($handle, CURLINFO_RESPONSE_CODE);
}
$number = (int) ($_GET['n'] ?? 0);
ask('tides', []);
$body = json_encode(['boat' => $number, 'token' => 'pearl']);
echo ask('permits?desk=4', [CURLOPT_POSTFIELDS => $body, CURLOPT_HTTPHEADER => ['Content-Type: application/json', 'Authorization: pearl']]);
`,
  streams: `<?php
namespace Desk;
$number = (int) ($_GET['n'] ?? 0);
@file_get_contents('http://127.0.0.1:PORT/tides');
$body = json_encode(['boat' => $number, 'token' => 'pearl']);
$context = stream_context_create(['http' => ['method' => 'POST', 'content' => $body, 'header' => "Content-Type: application/json\\r\\nAuthorization: pearl"]]);
$text = file_get_contents( // told
    'http://127.0.0.1:PORT/permits?desk=4', false, $context);
echo substr($http_response_header[0], 9, 3);
`,
};
const phpSenders: Sender[] = Object.entries(PHP).map(([name, source]) => ({
  name: `PHP, ${name}`,
  start: phpProgram((to) => source.replaceAll('PORT', `${to}`)),
  condition: "$sent->body['boat'] === 5",
  header: "$sent->headers['authorization']",
  status: '$sent->status',
  own: name === 'curl' ? '(int) $_GET["n"]' : '$number',
}));

const pythonSenders: Sender[] = Object.entries(PYTHON).map(([name, [module, source]]) => ({
  name: `Python, ${name}`,
  start: pythonProgram(module, (to) => source.replaceAll('PORT', `${to}`) + LOOP),
  condition: "sent.body['boat'] == 5",
  header: "sent.headers['authorization']",
  status: 'sent.status',
}));

async function sentParts(stop: Stop) {
  const [frame] = await stop.frames();
  const scope = (await stop.scopes(frame?.id ?? 0)).find(({ name }) => name === 'Sent');
  const parts = await stop.variables(scope?.variablesReference ?? 0);
  return Object.fromEntries(parts.map(({ name, value }) => [name, value]));
}

async function mark(attached: Attached, kind: 'break' | 'log' | 'count', url: string, more: object = {}) {
  const place = { kind: 'sends' as const, method: 'POST', url };
  const added = attached.store.add({ place, ...more }, undefined, kind);
  await attached.sync.send(added);
  return added;
}

describe.each([...pythonSenders, rubySender, ...nodeSenders, ...phpSenders])(
  'requests that the program sends: $name',
  ({ start, condition, header, status, own = 'number' }) => {
    const starts = start ? it : it.skip;

    starts('stops at the line that sends, with what is sent, and only where it is to', async () => {
      const { program, attached, line, file } = await (start as NonNullable<StartProgram>)(port, runFolder());
      const added = await mark(attached, 'break', '/permits', { condition });
      expect(attached.sync.status(added)).toMatchObject({ state: 'on', note: null });
      expect(await program.ask('4')).toBe('4 -> 201');
      program.say('5');
      const stop = await attached.stop();
      expect(asked.filter((text) => text.includes('"boat": 5') || text.includes('"boat":5'))).toEqual([]);
      const [frame] = await stop.frames();
      expect([frame?.source?.path, frame?.line]).toEqual([file, line]);
      const parts = await sentParts(stop);
      expect(parts.url).toContain(`http://127.0.0.1:${port}/permits?desk=4`);
      expect(parts.method).toMatch(/POST/);
      expect(parts.body).toMatch(/boat.*5.*token.*•••/);
      expect(JSON.stringify(parts)).not.toContain('pearl');
      expect((await stop.evaluate(condition, frame?.id, 'watch')).text).toMatch(/^true$/i);
      expect((await stop.evaluate(own, frame?.id, 'watch')).text).toBe('5');
      expect((await stop.evaluate(header, frame?.id, 'watch')).text).toMatch(/•••/);
      await stop.resume();
      expect(await program.line('5 -> ')).toBe('5 -> 201');
      await attached.session.detach();
      expect(await program.ask('5')).toBe('5 -> 201');
    });

    starts('tells what is sent, and what is answered', async () => {
      const { program, attached } = await (start as NonNullable<StartProgram>)(port, runFolder());
      const collector = new HitCollector(attached);
      await collector.set('log', 'sends POST 127.0.0.1/nothing "{url}"', '');
      await collector.set('log', `sends 127.0.0.1:${port}/permits "{method} {${own}}"`, '');
      await collector.set('log', `sends * "{status}" when ${status} == 404`, '');
      const counter = await mark(attached, 'count', '*');
      for (const number of [1, 2, 3]) {
        expect(await program.ask(`${number}`)).toBe(`${number} -> 201`);
      }
      const texts = (await collector.until(6)).map(({ text, error }) => text ?? error);
      expect(texts.sort()).toEqual(['404', '404', '404', 'POST 1', 'POST 2', 'POST 3']);
      expect((await collector.status(counter)).hits).toBe(3);
      await attached.session.detach();
    });

    starts('goes on from there by steps to the line after', async () => {
      const { program, attached, line, file } = await (start as NonNullable<StartProgram>)(port, runFolder());
      await mark(attached, 'break', '/permits');
      program.say('6');
      const stop = await attached.stop();
      const { stop: next } = await attached.step(stop, 'over');
      const [frame] = await next.frames();
      expect(frame?.line).not.toBe(line);
      expect(frame?.source?.path).toBe(file);
      await next.resume();
      expect(await program.line('6 -> ')).toBe('6 -> 201');
      await attached.session.detach();
    });
  },
);

/** Services that ask the harbour for each request that they serve, several at a time. */
const SERVED_PYTHON = (to: number) => `import http.server, urllib.request
class Desk(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        number = self.path[1:]
        urllib.request.urlopen('http://127.0.0.1:${to}/permits', number.encode()).read()
        self.send_response(200)
        self.end_headers()
        self.wfile.write(number.encode())
    def log_message(self, *rest):
        pass
server = http.server.ThreadingHTTPServer(('127.0.0.1', 0), Desk)
print(server.server_port, flush=True)
server.serve_forever()
`;
const SERVED_NODE = (
  to: number,
) => `const server = require('node:http').createServer(async (request, response) => {
  const number = request.url.slice(1);
  await new Promise((done) => setTimeout(done, 5));
  await fetch('http://127.0.0.1:${to}/permits', { method: 'POST', body: number });
  response.end(number);
});
server.listen(0, '127.0.0.1', () => console.log(server.address().port));
`;

it.each([
  ['Python', (to: number) => pythonService('http.server', SERVED_PYTHON(to)), '{number} {body}'],
  ['Node', (to: number) => nodeService(SERVED_NODE(to)), '{sent.body} {body}'],
])(
  'what 8 clients at once have a service send is told with the request of each: %s',
  async (_, service, told) => {
    const { port: at, attached } = await (service(port) as NonNullable<StartService>)(runFolder());
    const collector = new HitCollector(attached);
    await collector.set('log', `sends POST /permits "${told}"`, '');
    await Promise.all(
      Array.from({ length: 8 }, async (_each, client) => {
        for (let turn = 0; turn < 5; turn += 1) {
          const number = `${client * 100 + turn}`;
          expect(await (await fetch(`http://127.0.0.1:${at}/${number}`)).text()).toBe(number);
        }
      }),
    );
    for (const { text, request } of await collector.until(40)) {
      const number = request?.target.slice(1) ?? 'none';
      expect(text).toBe(`${number} ${number}`);
    }
    expect(collector.hits).toHaveLength(40);
    await attached.session.detach();
  },
);

it.each([
  ['/permits', 'http://harbour:8002/permits?x=1', true],
  ['/permits', 'http://harbour:8002/permits/7', false],
  ['/permits*', 'https://harbour/permits/7?x=1', true],
  ['/permits?x=1', 'http://harbour/permits?x=2', false],
  ['harbour:8002', 'http://harbour:8002/permits?x=1', true],
  ['harbour:8002/permits', 'https://harbour:8002/permits', true],
  ['harbour', 'http://harbour:8002/permits', false],
  ['http://harbour/*', 'https://harbour/permits', false],
  ['*.harbour/permits', 'http://west.harbour/permits', true],
  ['*', 'http://harbour/', true],
])('the address %s is for %s: %s', (url, address, isMeant) => {
  expect(new RegExp(addressExpression(url)).test(address)).toBe(isMeant);
});
