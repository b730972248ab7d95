import { mkdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { EndedRequest } from '../../../src/core/marks/told.js';
import type { Attached } from '../../../test/support/attached.js';
import { useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { attachToPhp, describePhp, PhpFpm, PhpServer } from '../../../test/support/php.js';

const PROGRAM = `<?php
$berth = 'N' . ($_GET['berth'] ?? 1);
http_response_code(201);
echo $berth;
`;

/** Resolves with the requests that have ended, as soon as there are so many. */
function whenEnded(attached: Attached, count: number): Promise<EndedRequest[]> {
  const all: EndedRequest[] = [];
  return new Promise((done) => {
    attached.sync.on('ended', (ended) => {
      all.push(...ended);
      if (all.length >= count) {
        done(all);
      }
    });
  });
}

describePhp('requests that are over tell in a file', ['cli'], () => {
  const runFolder = useRunFolder();
  let server: PhpServer;
  let attached: Attached;
  beforeAll(async () => {
    server = await PhpServer.start({ 'index.php': PROGRAM });
  });
  afterEach(() => attached.session.detach());
  const armed = (name: string) => join(runFolder(), 'php', `${server.pid}.${name}`);

  it('what they are, their hits and counts, with nobody to connect to; secrets are hidden there', async () => {
    attached = await attachToPhp(runFolder(), server.pid, { requests: true });
    const told = new HitCollector(attached);
    await told.set('log', 'index.php:4 "{$berth}"', server.path());
    const counter = await told.set('count', 'index.php:3', server.path());
    const ended = whenEnded(attached, 2);
    renameSync(armed('sock'), armed('away'));
    await server.get('/?berth=3&token=hunter2');
    await server.get('/?berth=4');
    const [first, second] = await ended;
    expect(told.hits.map(({ text, request }) => [text, request?.id])).toEqual([
      ['N3', first?.request.id],
      ['N4', second?.request.id],
    ]);
    expect(first).toMatchObject({ status: 201, request: { method: 'GET', target: '/?berth=3&token=•••' } });
    expect(await told.status(counter)).toMatchObject({ hits: 2 });
    const file = readFileSync(armed('counts/told'), 'utf8');
    expect(file).toContain('/?berth=4');
    expect(file).not.toContain('hunter2');
  });

  it('and connect where that cannot be written', async () => {
    attached = await attachToPhp(runFolder(), server.pid, { requests: true });
    rmSync(armed('counts/told'));
    mkdirSync(armed('counts/told'));
    const ended = whenEnded(attached, 1);
    expect(await server.get('/?berth=5')).toBe('N5');
    expect((await ended)[0]).toMatchObject({ status: 201, request: { target: '/?berth=5' } });
    rmSync(armed('counts/told'), { recursive: true });
  });

  it('stops come after what earlier requests have told', async () => {
    attached = await attachToPhp(runFolder(), server.pid, { requests: true });
    const told = new HitCollector(attached);
    await told.set('log', 'index.php:3 "{$berth}"', server.path());
    await told.set('break', `index.php:4 when $berth === 'N9'`, server.path());
    await server.get('/?berth=7');
    const answer = server.get('/?berth=9');
    const stop = await attached.stop();
    expect(told.hits.map(({ text }) => text)).toEqual(['N7', 'N9']);
    await stop.resume();
    expect(await answer).toBe('N9');
  });
});

describePhp('requests of several workers', ['fpm'], () => {
  const runFolder = useRunFolder();

  it('are each told once', async () => {
    const fpm = await PhpFpm.start({ 'index.php': PROGRAM }, 4);
    const attached = await attachToPhp(runFolder(), fpm.pid, { requests: true });
    const count = 200;
    const ended = whenEnded(attached, count);
    let next = 0;
    const client = async () => {
      for (let number = next++; number < count; number = next++) {
        await fpm.get(`/${number}?berth=${number}`, 'index.php');
      }
    };
    await Promise.all(Array.from({ length: 8 }, client));
    const targets = (await ended).map(({ request }) => request.target);
    expect(new Set(targets).size).toBe(count);
    expect(targets).toHaveLength(count);
    await attached.session.detach();
  });
});
