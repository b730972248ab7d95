import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readTraceparent } from '../../../src/core/trail/parents.js';
import { Browser, describePages } from '../../../test/support/browser.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf } from '../../../test/support/node.js';
import { until } from '../../../test/support/until.js';

const COUNTER = `async function book(name, wait) {
  const answer = await fetch('/price?for=' + name + '&wait=' + wait);
  const { price } = await answer.json();
  settle(name, price);
  setTimeout(() => remind(name), 5);
}
function settle(name, price) {
  document.title = name + ' ' + price;
}
function remind(name) {
  const request = new XMLHttpRequest();
  request.open('GET', '/remind?for=' + name);
  request.onload = () => {
    window.reminded = (window.reminded ?? 0) + 1;
    done(name);
  };
  request.send();
}
function done(name) {
  return name;
}
document.getElementById('slow').addEventListener('click', () => book('slow', 60));
document.getElementById('fast').addEventListener('click', () => book('fast', 1));
document.getElementById('away').addEventListener('click', () => fetch(window.away).catch(String));
fetch('/price?for=nobody&wait=1').then((answer) => answer.json()).then(() => done('nobody'));
`;
const PAGE =
  '<!doctype html><button id="slow" class="big"></button><button id="fast"></button><button id="away"></button><script src="/counter.js"></script>';

describePages('events of a page', () => {
  const folder = mkdtempSync(join(tmpdir(), 'amber-events-'));
  const asked = new Map<string, string | undefined>();
  const take = (request: IncomingMessage, response: ServerResponse) => {
    const { pathname, searchParams } = new URL(request.url ?? '/', 'http://localhost');
    if (pathname !== '/price' && pathname !== '/remind') {
      return false;
    }
    const { traceparent } = request.headers;
    asked.set(`${pathname} ${searchParams.get('for')}`, traceparent as string | undefined);
    response.setHeader('Content-Type', 'application/json');
    const answer = () => response.end('{"price":7}');
    setTimeout(answer, Number(searchParams.get('wait')));
    return true;
  };
  const elsewhere = createServer((request, response) => {
    response.setHeader('Access-Control-Allow-Origin', '*');
    take(request, response);
  });
  let browser: Browser;
  beforeAll(async () => {
    writeFileSync(join(folder, 'counter.js'), COUNTER);
    writeFileSync(join(folder, 'index.html'), PAGE);
    await new Promise<void>((listening) => elsewhere.listen(0, '127.0.0.1', listening));
    browser = new Browser(folder, take);
    await browser.pages();
  });
  afterAll(async () => {
    await browser.end();
    elsewhere.close();
    rmSync(folder, { recursive: true, force: true });
  });

  it('are known wherever their code goes on, and carry their trace to origins that are named', async () => {
    const tab = await browser.visit('/index.html');
    const before = await tab.evaluate(
      '[String(fetch), String(setTimeout), String(XMLHttpRequest.prototype.send)]',
    );
    const attached = await tab.attach({ requests: true, traceTo: [browser.site] });
    const hits = new HitCollector(attached);
    const ended: number[] = [];
    attached.sync.on('ended', (requests) => ended.push(...requests.map(({ request }) => request.id)));
    const file = join(folder, 'counter.js');
    for (const text of ['document.title', 'new XMLHttpRequest', 'return name']) {
      await hits.set('log', `counter.js:${lineOf(COUNTER, text)} "{name}"`, file);
    }
    // The slow one's code goes on while the fast one's does.
    await tab.evaluate("document.getElementById('slow').click()");
    await tab.evaluate("document.getElementById('fast').click()");
    const told = await hits.until(6);
    const byName = (name: string) =>
      told
        .filter(({ text }) => text === name)
        .map(({ request }) => request && `${request.method} ${request.target}`);
    expect(byName('slow')).toEqual(Array(3).fill('EVENT click on button#slow.big'));
    expect(byName('fast')).toEqual(Array(3).fill('EVENT click on button#fast'));
    const trace = (path: string) => readTraceparent(asked.get(path) ?? null)?.trace;
    const own = (name: string) =>
      readTraceparent(told.find(({ text }) => text === name)?.request?.traceparent ?? null)?.trace;
    for (const name of ['slow', 'fast']) {
      expect([trace(`/price ${name}`), trace(`/remind ${name}`)]).toEqual([own(name), own(name)]);
    }
    expect(own('slow')).not.toBe(own('fast'));
    await until(() => new Set(ended).size === 2);
    // An origin that nobody has named is asked as ever.
    const { port } = elsewhere.address() as AddressInfo;
    await tab.evaluate(
      `window.away = 'http://127.0.0.1:${port}/price?for=away'; document.getElementById('away').click()`,
    );
    await until(() => asked.has('/price away'));
    expect(asked.get('/price away')).toBeUndefined();
    // What the document itself does while it is loaded is an event, too.
    asked.clear();
    await attached.session.reload('', '');
    const [loaded] = (await hits.until(7)).slice(6);
    expect(loaded?.request).toMatchObject({ method: 'EVENT', target: 'load of /index.html' });
    expect(trace('/price nobody')).toBe(readTraceparent(loaded?.request?.traceparent ?? null)?.trace);
    await attached.session.detach();
    expect(
      await tab.evaluate('[String(fetch), String(setTimeout), String(XMLHttpRequest.prototype.send)]'),
    ).toEqual(before);
    asked.clear();
    await tab.evaluate("document.getElementById('fast').click()");
    await until(() => asked.has('/remind fast'));
    expect([...asked.values()]).toEqual([undefined, undefined]);
  });
});
