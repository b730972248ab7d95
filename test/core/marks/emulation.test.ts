import { parseLog, parseMark } from '../../../src/core/marks/grammar.js';
import { MarkStore } from '../../../src/core/marks/store.js';
import { MarkSync } from '../../../src/core/marks/sync.js';
import type { Hit } from '../../../src/core/marks/told.js';
import { Session } from '../../../src/core/session/session.js';
import type { Stop } from '../../../src/core/session/stop.js';
import { HandClock } from '../../support/clock.js';
import { StandIn } from '../../support/stand-in.js';

/** A server that does plain breakpoints and nothing else, in whose program `n` goes up at each pass. */
function makeServer(withIds: boolean) {
  const server = new StandIn();
  let n = 0;
  server.on('setBreakpoints', (request) => {
    const asked = request.arguments.breakpoints as { line: number }[];
    server.respond(request, { breakpoints: asked.map(({ line }) => ({ id: line, verified: true, line })) });
  });
  server.on('stackTrace', {
    stackFrames: [{ id: 1, name: 'work', line: 5, column: 1, source: { path: '/a.py' } }],
  });
  server.on('evaluate', (request) => {
    const expression = String(request.arguments.expression);
    if (expression === 'broken') {
      server.refuse(request, 'raised', 'NameError: broken');
    } else {
      server.respond(request, {
        result: expression === 'n' ? `${n}` : expression === 'n > 2' ? (n > 2 ? 'True' : 'False') : '?',
        type: 'int',
        variablesReference: 0,
      });
    }
  });
  server.on('continue', {});
  const pass = (line = 5) => {
    n += 1;
    server.event('stopped', {
      reason: 'breakpoint',
      threadId: 1,
      ...(withIds ? { hitBreakpointIds: [line] } : {}),
    });
  };
  return { server, pass };
}

async function open(withIds: boolean, ...texts: string[]) {
  const { server, pass } = makeServer(withIds);
  const session = new Session(server.stream, { clock: new HandClock(), attach: {} });
  const store = new MarkStore();
  const sync = new MarkSync(session, store);
  const marks = texts.map((text) => {
    const [kind = '', rest = ''] = [text.slice(0, text.indexOf(' ')), text.slice(text.indexOf(' ') + 1)];
    const spec = kind === 'log' ? parseLog(rest) : parseMark(rest);
    return store.add(spec, '/a.py', kind as 'break' | 'log' | 'count');
  });
  const hits: Hit[] = [];
  sync.on('hits', (told) => hits.push(...told));
  await session.open(() => sync.send());
  const next = async () => {
    const stopped = new Promise<Stop>((done) => session.once('stopped', done));
    pass();
    const stop = await stopped;
    const judged = await sync.judge(stop);
    await stop.resume();
    return judged;
  };
  return { server, session, sync, marks, hits, next };
}

describe.each([true, false])(
  'a server that only has plain breakpoints (says which was hit: %s)',
  (withIds) => {
    it('is looked after: conditions and hit rules by looking at each pass', async () => {
      const { server, sync, marks, next } = await open(withIds, 'break a.py:5 when n > 2 hits 2');
      const [mark] = marks as [(typeof marks)[0] & object];
      expect(sync.status(mark)).toMatchObject({ state: 'on', route: 'emulated' });
      const sent = server.received.find(({ command }) => command === 'setBreakpoints');
      expect(sent?.arguments.breakpoints).toEqual([{ line: 5 }]);
      expect([await next(), await next(), await next()]).toEqual([undefined, undefined, undefined]);
      expect(await next()).toEqual([mark]);
      expect(sync.status(mark)).toMatchObject({ hits: 1, errors: 0 });
    });

    it('tells the values of logpoints, and counts, without staying paused', async () => {
      const { sync, marks, hits, next } = await open(
        withIds,
        'log a.py:5 "n is {n}, {{so}}" when n > 2',
        'count a.py:5',
      );
      for (let pass = 0; pass < 3; pass += 1) {
        expect(await next()).toBeUndefined();
      }
      const [log, count] = marks as [(typeof marks)[0] & object, (typeof marks)[0] & object];
      expect(hits.map(({ mark, text }) => [mark, text])).toEqual([[log, 'n is 3, {so}']]);
      expect(sync.status(log).hits).toBe(1);
      expect(sync.status(count).hits).toBe(3);
    });

    it('counts what fails and goes on', async () => {
      const { sync, marks, next } = await open(withIds, 'break a.py:5 when broken');
      expect(await next()).toBeUndefined();
      const [mark] = marks as [(typeof marks)[0] & object];
      expect(sync.status(mark)).toMatchObject({ hits: 0, errors: 1, firstError: 'NameError: broken' });
    });
  },
);
