import { join } from 'node:path';
import { useRunFolder } from '../support/attached.js';
import { HitCollector } from '../support/hits.js';
import { lineOf } from '../support/node.js';
import { endPrograms } from '../support/program.js';
import { servers } from '../support/servers.js';

/** In all, from 8 clients at once; AMBER_REQUESTS=2000 takes some seconds for each server. */
const REQUESTS = Number(process.env.AMBER_REQUESTS ?? 400);
const CLIENTS = 8;
const TRACE = '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01';

describe.each(servers)('requests of $name', ({ test, start, file, source }) => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  test(`are known at each of the hits of ${REQUESTS} of them, and at stops`, async () => {
    const { program, base, attached } = await start(runFolder());
    const path = join(program.folder, file);
    const line = lineOf(source, 'told = number') + 1;
    const ask = async (number: number, headers: Record<string, string> = {}) => {
      const response = await fetch(`${base}/n?number=${number}`, {
        headers: { 'x-number': `${number}`, ...headers },
      });
      return Number(await response.text());
    };
    const collector = new HitCollector(attached);
    await collector.set('log', `${file}:${line} "{number}"`, path);
    const clients = Array.from({ length: CLIENTS }, async (_, client) => {
      for (let number = client; number < REQUESTS; number += CLIENTS) {
        expect(await ask(number)).toBe(number);
      }
    });
    await Promise.all(clients);
    const isAlone = ({ text }: { text: string }) => text === 'alone';
    while (collector.hits.filter((hit) => !isAlone(hit)).length < 2 * REQUESTS) {
      await collector.until(collector.hits.length + 1);
    }
    expect(collector.hits.filter(isAlone).map(({ request }) => request)).toContain(undefined);
    expect(collector.hits.filter((hit) => isAlone(hit) && hit.request !== undefined)).toEqual([]);
    const hits = collector.hits.filter((hit) => !isAlone(hit));
    const wrong = hits.filter(({ text, request }) => request?.target !== `/n?number=${text}`);
    expect(wrong).toEqual([]);
    expect(hits[0]?.request).toMatchObject({ method: 'GET' });
    // Both hits of a request are of the same one, and no other's.
    expect(new Set(hits.map(({ request }) => request?.id)).size).toBe(REQUESTS);
    attached.store.drop(attached.store.all[0]?.number ?? 0);
    await attached.sync.send();
    await attached.mark(path, line, file.endsWith('.js') ? "number !== 'alone'" : "number != 'alone'");
    const answer = ask(7, { traceparent: TRACE });
    const stop = await attached.stop();
    expect(stop.request).toMatchObject({ method: 'GET', target: '/n?number=7', traceparent: TRACE });
    await attached.session.detach();
    expect(await answer).toBe(7);
    expect(await ask(8)).toBe(8);
  });
});

/** An event loop, and a worker that does one thing after the other, stand still with the request that is stopped. */
const ALONE = new Set(['uvicorn', 'aiohttp', 'tornado', 'gunicorn', 'hypercorn', 'daphne']);

describe.each(servers)('marks at requests of $name', ({ name, test, start, file, source }) => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  test('stop at the first line of the project that serves one, and at no other request', async () => {
    const { program, base, attached } = await start(runFolder());
    const mark = attached.store.add({ place: { kind: 'request', method: 'GET', path: '/slips/*' } });
    await attached.sync.send();
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', note: null });
    const ask = async (path: string) =>
      await (await fetch(base + path, { headers: { 'x-number': '5' } })).text();
    expect(await ask('/n?number=5')).toBe('5');
    const isAlone = ALONE.has(name) || file.endsWith('.js');
    const answers = [ask('/slips/7?page=1'), isAlone ? '5' : ask('/n?number=6')];
    const stop = await attached.stop();
    expect(await answers[1]).toBe('5');
    expect(stop.request).toMatchObject({ method: 'GET', target: '/slips/7?page=1' });
    expect(stop.event).toMatchObject({ reason: 'breakpoint' });
    const [frame] = await stop.frames();
    expect(frame?.source?.path).toBe(join(program.folder, file.replace('work', 'app')));
    const inner = lineOf(source, 'told = number');
    await attached.mark(
      join(program.folder, file),
      inner,
      file.endsWith('.js') ? "number === '5'" : "number == '5'",
    );
    await stop.resume();
    const second = await attached.stop();
    expect((await second.frames())[0]?.line).toBe(inner);
    attached.store.drop(mark.number);
    await attached.sync.send();
    await attached.session.detach();
    expect(await answers[0]).toBe('5');
    expect(await ask('/slips/8')).toBe('5');
  });
});
