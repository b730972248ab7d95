import { IncomingMessage, Server, ServerResponse } from 'node:http';
import { Socket } from 'node:net';
import { useRunFolder } from '../../../test/support/attached.js';
import { NodeProgram } from '../../../test/support/node.js';
import { mainSource } from '../process/source.js';

useRunFolder();

/**
 * A service with a function that never rests, and a record of everything that is put into Node's queues by code that
 * nothing of Node's or the program's has called: the engine evaluates such code wherever the program is just then.
 */
const SOURCE = `
Error.stackTraceLimit = 200;
const http = require('node:http');
const timers = require('node:timers');
const out = [];
for (const [object, name] of [[process, 'nextTick'], [globalThis, 'setTimeout'], [globalThis, 'setInterval'],
  [timers, 'setTimeout'], [timers, 'setInterval']]) {
  const before = object[name];
  object[name] = function (...args) {
    const stack = new Error().stack.split('\\n');
    if (!/node:|app\\.js/.test(stack.at(-1))) out.push(name + ' ' + stack.slice(2).map((line) => line.trim()).join(' < '));
    return before.apply(this, args);
  };
}
const { nextTick } = process;
async function answer(n) {
  await new Promise((done) => setTimeout(done, 20));
  const twice = n * 2;
  return twice;
}
let asked = 0;
let right = 0;
let isOver = false;
const agent = new http.Agent({ keepAlive: true });
async function client(port) {
  while (!isOver) {
    const n = asked;
    asked += 1;
    const text = await new Promise((done, failed) => {
      http.get({ port, host: '127.0.0.1', path: '/' + n, agent }, (response) => {
        let all = '';
        response.on('data', (chunk) => { all += chunk; });
        response.on('end', () => done(all));
      }).on('error', failed);
    });
    right += text === String(n * 2) ? 1 : 0;
  }
}
http.createServer(async (request, response) => {
  response.end(String(await answer(Number(request.url.slice(1)))));
}).listen(0, '127.0.0.1', function () {
  for (let i = 0; i < 3; i += 1) client(this.address().port);
  console.log('ready');
});
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  if (line === 'own') console.log(line + ' ' + (process.nextTick === nextTick));
  else console.log(line + ' ' + JSON.stringify({ right, out }));
});
`;

it('puts nothing into the queues of a program but where nothing of Node is under way', async () => {
  const program = new NodeProgram(SOURCE);
  await program.line('ready');
  for (let round = 0; round < 2; round += 1) {
    const attached = await program.attach({ requests: true, output: true });
    const spliced = new Promise<void>((done) => {
      attached.session.on('breakpoint', ({ amber }) => {
        if ((amber as { route?: string } | undefined)?.route === 'spliced') {
          done();
        }
      });
    });
    const mark = await attached.mark(program.file, program.lineOf('const twice'), 'n < 0');
    if (attached.sync.status(mark)?.route !== 'spliced') {
      await spliced;
    }
    await attached.session.detach();
    expect(await program.ask('own')).toBe('own true');
  }
  const { right, out } = JSON.parse((await program.ask('state')).slice('state '.length));
  expect(out).toEqual([]);
  const later = JSON.parse((await program.ask('state')).slice('state '.length));
  expect(later.right).toBeGreaterThanOrEqual(right);
  expect(right).toBeGreaterThan(0);
  await program.end();
});

it('what was held when we leave begins as it would have, and brings nothing of ours back', async () => {
  const used: string[] = [];
  class Storage {
    run(_known: unknown, work: () => unknown) {
      used.push('run');
      return work();
    }
    getStore() {
      return undefined;
    }
    disable() {
      used.push('disable');
    }
  }
  // In this realm, whose arrays it shares.
  const served = new Function(`return ${mainSource('served')}`)()(
    (name: string) => (name === 'node:async_hooks' ? { AsyncLocalStorage: Storage } : require(name)),
    (work: () => unknown) => work(),
    { begun: () => undefined, ended: () => undefined },
  );
  const answered: string[] = [];
  const server = new Server((request) => answered.push(request.url ?? ''));
  const request = (url: string) => {
    const incoming = new IncomingMessage(new Socket());
    incoming.url = url;
    server.emit('request', incoming, new ServerResponse(incoming));
  };
  served.watch();
  request('/served');
  expect(answered).toEqual(['/served']);
  void served.hold(1_000, 1_000);
  // The engine is asked to let them go in the very moment in which one comes to be held.
  const { push } = Array.prototype;
  const interrupted = jest.spyOn(Array.prototype, 'push').mockImplementation(function (
    this: unknown[],
    ...items
  ) {
    const [item] = items;
    if (typeof item === 'function' && item.name === 'serve') {
      served.release();
    }
    return push.apply(this, items);
  });
  request('/late');
  interrupted.mockRestore();
  await new Promise((done) => setImmediate(done));
  expect(answered).toEqual(['/served', '/late']);
  void served.hold(1_000, 1_000);
  request('/held');
  expect(answered).toEqual(['/served', '/late']);
  served.undo();
  request('/after');
  await new Promise((done) => setImmediate(done));
  expect(answered).toEqual(['/served', '/late', '/after', '/held']);
  expect(used.at(-1)).toBe('disable');
});
