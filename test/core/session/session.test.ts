import { MarkStore } from '../../../src/core/marks/store.js';
import { MarkSync } from '../../../src/core/marks/sync.js';
import { Session } from '../../../src/core/session/session.js';
import { StateMachine } from '../../../src/core/session/state.js';
import type { Stop } from '../../../src/core/session/stop.js';
import { HandClock } from '../../support/clock.js';
import { StandIn } from '../../support/stand-in.js';

function makeSession() {
  const server = new StandIn();
  const clock = new HandClock();
  const session = new Session(server.stream, { clock, attach: { port: 1 } });
  const store = new MarkStore();
  return { server, clock, session, store, sync: new MarkSync(session, store) };
}

async function nextStop(session: Session): Promise<Stop> {
  return await new Promise((done) => session.once('stopped', done));
}

describe('the handshake', () => {
  it('sets marks only after initialized, then says configurationDone', async () => {
    const { server, session, sync, store } = makeSession();
    store.add({ place: { kind: 'line', file: 'a.py', line: 3 } }, '/a.py');
    server.on('setBreakpoints', { breakpoints: [{ id: 9, verified: true, line: 3 }] });
    await session.open(() => sync.send());
    expect(server.commands()).toEqual(['initialize', 'attach', 'setBreakpoints', 'configurationDone']);
    expect(session.state).toBe('live');
  });

  it('waits for a late initialized', async () => {
    const { server, session } = makeSession();
    server.on('attach', {});
    let configured = false;
    const opened = session.open(async () => {
      configured = true;
    });
    await server.request('attach');
    expect(configured).toBe(false);
    server.event('initialized');
    await opened;
    expect(configured).toBe(true);
  });

  it('takes an attach that is answered only after configurationDone', async () => {
    const { server, session } = makeSession();
    server.on('attach', () => server.event('initialized'));
    server.on('configurationDone', (done) => {
      server.respond(done, {});
      server.respond(server.received.find(({ command }) => command === 'attach') ?? done, {});
    });
    await session.open(async () => undefined);
    expect(session.state).toBe('live');
  });

  it('does not say configurationDone to a server that does not know it', async () => {
    const { server, session } = makeSession();
    server.on('initialize', {});
    await session.open(async () => undefined);
    expect(server.commands()).toEqual(['initialize', 'attach']);
  });

  it('fails with the reason when attach is refused before initialized', async () => {
    const { server, session } = makeSession();
    server.on('attach', (request) => server.refuse(request, 'taken', 'process 7 has it'));
    await expect(session.open(async () => undefined)).rejects.toMatchObject({ code: 'AL_TAKEN' });
    expect(session.state).toBe('ended');
  });

  it('claims and answers just those reverse requests that it was given handlers for', async () => {
    const server = new StandIn();
    const reverse = { startDebugging: async () => ({ taken: true }) };
    const session = new Session(server.stream, { clock: new HandClock(), attach: {}, reverse });
    await session.open(async () => undefined);
    expect((await server.request('initialize')).arguments).toMatchObject({
      supportsRunInTerminalRequest: false,
      supportsStartDebuggingRequest: true,
    });
    server.raw({ type: 'request', command: 'startDebugging', arguments: {} });
    expect(await server.request('startDebugging')).toMatchObject({ success: true, body: { taken: true } });
  });

  it('gives up on a server that never says initialized', async () => {
    const { server, session, clock } = makeSession();
    server.on('attach', () => undefined);
    const opened = session.open(async () => undefined);
    await server.request('attach');
    clock.pass(10_000);
    await expect(opened).rejects.toMatchObject({ code: 'AL_TIMEOUT' });
  });
});

describe('a session', () => {
  async function live() {
    const made = makeSession();
    made.server.on('stackTrace', { stackFrames: [{ id: 4, name: 'f', line: 3, column: 1 }] });
    made.server.on('continue', {});
    await made.session.open(async () => undefined);
    return made;
  }

  it('voids the handles of a stop as soon as its thread moves on', async () => {
    const { server, session } = await live();
    const stopped = nextStop(session);
    server.event('stopped', { reason: 'breakpoint', threadId: 1 });
    const stop = await stopped;
    expect(await stop.frames()).toHaveLength(1);
    await stop.resume();
    await expect(stop.variables(4)).rejects.toMatchObject({ code: 'AL_NOT_STOPPED' });
    expect(server.commands()).not.toContain('variables');
    expect(session.stops).toEqual([]);
  });

  it('voids them too when the server says that all threads go on', async () => {
    const { server, session } = await live();
    const stopped = nextStop(session);
    server.event('stopped', { reason: 'pause', threadId: 1 });
    const stop = await stopped;
    const continued = new Promise((done) => session.once('continued', done));
    server.event('continued', { threadId: 2, allThreadsContinued: true });
    await continued;
    expect(stop.over).toBe(true);
  });

  it('keeps the stops of several threads apart', async () => {
    const { server, session } = await live();
    const both = new Promise<void>((done) =>
      session.on('stopped', () => session.stops.length === 2 && done()),
    );
    server.event('stopped', { reason: 'breakpoint', threadId: 1 });
    server.event('stopped', { reason: 'breakpoint', threadId: 2 });
    await both;
    await session.stopOf(1)?.resume();
    expect(session.stops.map(({ threadId }) => threadId)).toEqual([2]);
  });

  it('learns later capabilities from events', async () => {
    const { server, session } = await live();
    const seen = new Promise((done) => session.once('output', done));
    server.event('capabilities', { capabilities: { supportsSetVariable: true } });
    server.event('output', { output: 'x' });
    await seen;
    expect(session.capabilities.supportsSetVariable).toBe(true);
  });

  it('tells how it ended', async () => {
    const { server, session } = await live();
    const ended = new Promise((done) => session.once('ended', (how, code) => done([how, code])));
    server.event('exited', { exitCode: 3 });
    server.event('terminated');
    expect(await ended).toEqual(['exited', 3]);
  });

  it('is lost when the server just goes', async () => {
    const { server, session } = await live();
    const ended = new Promise((done) => session.once('ended', done));
    server.end();
    expect(await ended).toBe('lost');
  });

  it('sends a heartbeat to our own servers only', async () => {
    const { server, session, clock } = makeSession();
    server.on('initialize', { amber: { version: 1 } });
    await session.open(async () => undefined);
    clock.pass(5_000);
    await server.request('amberHeartbeat');
    const other = await live();
    other.clock.pass(60_000);
    await other.session.detach();
    expect(other.server.commands()).not.toContain('amberHeartbeat');
  });
});

describe('marks and a target', () => {
  it('send a file whole, learn what became of each, and later changes by events', async () => {
    const { server, session, store, sync } = makeSession();
    const first = store.add({ place: { kind: 'line', file: 'a.py', line: 3 }, condition: 'x' }, '/a.py');
    const second = store.add({ place: { kind: 'line', file: 'a.py', line: 5 } }, '/a.py');
    server.on('initialize', { supportsConditionalBreakpoints: true });
    server.on('setBreakpoints', {
      breakpoints: [
        { id: 1, verified: true, line: 4, message: 'moved' },
        { id: 2, verified: false, message: 'not loaded' },
      ],
    });
    await session.open(() => sync.send());
    expect(server.received.at(-1)?.arguments).toEqual({
      source: { path: '/a.py' },
      breakpoints: [{ line: 3, condition: 'x' }, { line: 5 }],
    });
    expect(sync.status(first)).toMatchObject({ state: 'on', line: 4, note: 'moved' });
    expect(sync.status(second)).toMatchObject({ state: 'waiting', note: 'not loaded' });
    const learned = new Promise((done) => session.once('breakpoint', done));
    server.event('breakpoint', { reason: 'changed', breakpoint: { id: 2, verified: true, line: 5 } });
    await learned;
    expect(sync.status(second)).toMatchObject({ state: 'on', line: 5 });
    expect(sync.marksOf([2])).toEqual([second]);
  });

  it.each([
    ['before', { state: 'on', line: 5 }],
    ['after', { state: 'waiting', note: 'not loaded' }],
  ])('know which is newer of an answer and what was told just %s it', async (when, expected) => {
    const { server, session, store, sync } = makeSession();
    const mark = store.add({ place: { kind: 'line', file: 'a.py', line: 5 } }, '/a.py');
    server.on('setBreakpoints', (request) => {
      const tell = () => {
        const breakpoint = { id: 2, verified: false, message: 'not loaded' };
        server.event('breakpoint', { reason: 'changed', breakpoint });
      };
      const answer = () => server.respond(request, { breakpoints: [{ id: 2, verified: true, line: 5 }] });
      for (const each of when === 'before' ? [tell, answer] : [answer, tell]) {
        each();
      }
    });
    await session.open(() => sync.send());
    expect(sync.status(mark)).toMatchObject(expected);
  });

  it('refuse what the target cannot do, with the reason, and send the rest', async () => {
    const { server, session, store, sync } = makeSession();
    const plain = store.add({ place: { kind: 'line', file: 'a.py', line: 5 } }, '/a.py');
    const error = store.add({ place: { kind: 'error', types: [], uncaught: true } });
    const hits = { kind: 'nth' as const, n: 2, inRequest: true as const };
    const anew = store.add({ place: { kind: 'line', file: 'a.py', line: 6 }, hits }, '/a.py');
    const name = store.add({ place: { kind: 'function', name: 'quote' } });
    server.on('setBreakpoints', { breakpoints: [{ id: 1, verified: true, line: 5 }] });
    server.on('setExceptionBreakpoints', {});
    await session.open(() => sync.send());
    expect(sync.status(plain)).toMatchObject({ state: 'on', line: 5 });
    expect(sync.status(error)).toMatchObject({ state: 'waiting' });
    expect(sync.status(anew).note).toContain('this target counts over all requests');
    expect(sync.status(name).note).toBe('this target cannot find functions by name');
  });

  it('empty a file whose last mark was dropped, and send marks that are off no more', async () => {
    const { server, session, store, sync } = makeSession();
    const mark = store.add({ place: { kind: 'line', file: 'a.py', line: 3 } }, '/a.py');
    server.on('setBreakpoints', (request) => {
      const asked = request.arguments.breakpoints as { line: number }[];
      server.respond(request, { breakpoints: asked.map(({ line }) => ({ id: line, verified: true, line })) });
    });
    await session.open(() => sync.send());
    store.switch([], false);
    await sync.send();
    expect(server.received.at(-1)?.arguments).toEqual({ source: { path: '/a.py' }, breakpoints: [] });
    store.switch([mark.number], true);
    await sync.send(mark);
    await sync.send(store.drop(mark.number));
    expect(server.received.at(-1)?.arguments).toEqual({ source: { path: '/a.py' }, breakpoints: [] });
    expect(() => store.get(mark.number)).toThrow('there is no mark 1');
  });
});

it('a state that cannot follow is refused', () => {
  expect(() => new StateMachine().to('live')).toThrow('cannot go from connected to live');
  // A server may end the session at any moment of the handshake.
  const ended = new StateMachine();
  ended.to('ended');
  expect(() => ended.to('attaching')).toThrow(expect.objectContaining({ code: 'AL_TARGET_GONE' }));
});
