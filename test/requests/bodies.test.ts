import { connect } from 'node:http2';
import { gzipSync } from 'node:zlib';
import { useRunFolder } from '../support/attached.js';
import { HitCollector } from '../support/hits.js';
import { NodeProgram } from '../support/node.js';
import { endPrograms } from '../support/program.js';

useRunFolder();
afterEach(endPrograms);

/** In all, from 8 clients at once. */
const REQUESTS = Number(process.env.AMBER_REQUESTS ?? 200);
const CLIENTS = 8;

/** Called wherever a handler goes on; its line is the one that is marked. */
const WORK = `function work(number) {
  const told = number;
  return told;
}
const listen = (server) => server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));
`;
const LINE = 2;

/** A service that says again what it is told, and more code. */
const echo = (more: string) => `
const net = require('node:net');
const echo = net.createServer((socket) => socket.pipe(socket)).listen(0, '127.0.0.1');
${more}`;

/** A handler whose answer comes over one connection for all, in the order in which was asked. */
const POOL = echo(`
let shared;
const waiting = [];
function askOther(text, done) {
  if (shared === undefined) {
    shared = net.connect(echo.address().port, '127.0.0.1');
    let rest = '';
    shared.on('data', (chunk) => {
      const lines = (rest + chunk).split('\\n');
      rest = lines.pop();
      for (const line of lines) waiting.shift()(line);
    });
  }
  waiting.push(done);
  shared.write(text + '\\n');
}
listen(require('node:http').createServer((request, response) => {
  let text = '';
  request.on('data', (chunk) => { text += chunk; }).on('end', () => {
    askOther(text, (line) => { work(line); setTimeout(() => response.end(line), 5); });
  });
}));`);

/** Handlers that go on where nobody has called them, and how often each comes to the marked line. */
const SERVICES: Record<string, { source: string; hits: number; speaks?: 'http2' }> = {
  'events of the request, the answer and the connection': {
    hits: 4,
    source: `
listen(require('node:http').createServer((request, response) => {
  let text = '';
  request.on('data', (chunk) => { text += chunk; });
  request.once('end', () => {
    work(text);
    response.on('finish', () => work(text));
    response.on('close', () => work(text));
    setTimeout(() => { work(text); response.end(text); }, 1);
  });
}));`,
  },
  'streams that the request goes through, and for await': {
    hits: 3,
    source: `
const { createGunzip } = require('node:zlib');
const { PassThrough } = require('node:stream');
listen(require('node:http').createServer(async (request, response) => {
  const plain = request.pipe(createGunzip()).pipe(new PassThrough());
  let text = '';
  plain.on('end', () => work(text));
  for await (const chunk of plain) {
    text += chunk;
  }
  work(text);
  queueMicrotask(() => { work(text); response.end(text); });
}));`,
  },
  'Express with a body parser and awaits': {
    hits: 2,
    source: `
const express = require(${JSON.stringify(require.resolve('express'))});
const app = express();
app.use(express.text());
app.post('*', async (request, response) => {
  work(request.body);
  await new Promise((done) => setTimeout(done, 1));
  response.send(work(request.body));
});
const server = app.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));`,
  },
  'an upload that is written to a file': {
    hits: 2,
    source: `
const { createWriteStream, readFile, unlink, mkdtempSync } = require('node:fs');
const folder = mkdtempSync(require('node:os').tmpdir() + '/amber-upload-');
let count = 0;
process.on('exit', () => require('node:fs').rmSync(folder, { recursive: true }));
listen(require('node:http').createServer((request, response) => {
  const path = folder + '/' + (count += 1);
  request.pipe(createWriteStream(path)).on('finish', () => readFile(path, 'utf8', (error, text) => {
    work(text);
    unlink(path, () => { work(text); response.end(text); });
  }));
}));`,
  },
  'a queue whose callbacks are bound by AsyncResource': {
    hits: 1,
    source: `
const { AsyncResource } = require('node:async_hooks');
const waiting = [];
setInterval(() => { for (const done of waiting.splice(0)) done(); }, 2);
listen(require('node:http').createServer((request, response) => {
  let text = '';
  request.on('data', (chunk) => { text += chunk; }).on('end', () => {
    waiting.push(AsyncResource.bind(() => { work(text); response.end(text); }));
  });
}));`,
  },
  'a connection to another service, of its own': {
    hits: 1,
    source: `${echo('')}
listen(require('node:http').createServer((request, response) => {
  let text = '';
  request.on('data', (chunk) => { text += chunk; }).on('end', () => {
    const other = net.connect(echo.address().port, '127.0.0.1');
    other.on('data', (answer) => { work(String(answer)); response.end(String(answer)); other.end(); });
    other.write(text);
  });
}));`,
  },
  'HTTP/2, its requests and its streams': {
    hits: 2,
    speaks: 'http2',
    source: `
const server = require('node:http2').createServer();
server.on('stream', (stream) => { let text = ''; stream.on('data', (c) => { text += c; }).on('end', () => work(text)); });
server.on('request', (request, response) => {
  let text = '';
  request.on('data', (chunk) => { text += chunk; }).on('end', () => { work(text); response.end(text); });
});
listen(server);`,
  },
};

async function ask(port: number, name: string, number: number, speaks?: 'http2'): Promise<string> {
  if (speaks === undefined) {
    const isZipped = name.includes('for await');
    const body = isZipped ? gzipSync(`${number}`) : `${number}`;
    const headers = { 'content-type': 'text/plain' };
    return await (
      await fetch(`http://127.0.0.1:${port}/${number}`, { method: 'POST', body, headers })
    ).text();
  }
  const session = connect(`http://127.0.0.1:${port}`);
  const stream = session.request({ ':method': 'POST', ':path': `/${number}` });
  let text = '';
  stream.setEncoding('utf8').on('data', (chunk) => {
    text += chunk;
  });
  stream.end(`${number}`);
  await new Promise((done) => stream.once('close', done));
  session.close();
  return text;
}

/** Starts a service, marks its line, and has all requests answered. */
async function serve(source: string, name: string, speaks?: 'http2') {
  const program = new NodeProgram(WORK + source);
  const port = Number((await program.line('port')).split(' ')[1]);
  const attached = await program.attach();
  const collector = new HitCollector(attached);
  await collector.set('log', `app.js:${LINE} "{number}"`, program.file);
  const clients = Array.from({ length: CLIENTS }, async (_, client) => {
    for (let number = client; number < REQUESTS; number += CLIENTS) {
      expect(await ask(port, name, number, speaks)).toBe(`${number}`);
    }
  });
  await Promise.all(clients);
  return { port, attached, collector };
}

it.each(Object.entries(SERVICES))('every hit of a request belongs to it: %s', async (name, service) => {
  const { port, attached, collector } = await serve(service.source, name, service.speaks);
  const hits = await collector.until(REQUESTS * service.hits);
  expect(hits.filter(({ text, request }) => request?.target !== `/${text}`)).toEqual([]);
  expect(new Set(hits.map(({ request }) => request?.id)).size).toBe(REQUESTS);
  await attached.session.detach();
  expect(await ask(port, name, 7, service.speaks)).toBe('7');
});

it('what comes over a connection that requests share is for none of them, rather than for a wrong one', async () => {
  const { attached, collector } = await serve(POOL, '');
  const hits = await collector.until(REQUESTS);
  const wrong = hits.filter(({ text, request }) => request !== undefined && request.target !== `/${text}`);
  expect(wrong).toEqual([]);
  expect(hits).toHaveLength(REQUESTS);
  await attached.session.detach();
});
