import { z } from 'zod';
import { DapClient } from '../../../src/core/dap/client.js';
import { HandClock } from '../../support/clock.js';
import { StandIn } from '../../support/stand-in.js';

const anything = z.unknown();

function connect() {
  const server = new StandIn();
  const clock = new HandClock();
  const log: unknown[][] = [];
  const client = new DapClient(server.stream, { clock, wireLog: (...entry) => log.push(entry) });
  return { server, clock, client, log };
}

describe('the client', () => {
  it('numbers requests and matches answers that come in another order', async () => {
    const { server, client } = connect();
    const first = client.request('one', {}, z.object({ name: z.string() }));
    const second = client.request('two', {}, z.object({ name: z.string() }));
    const two = await server.request('two');
    const one = await server.request('one');
    expect([one.seq, two.seq]).toEqual([1, 2]);
    server.respond(two, { name: 'two' });
    server.respond(one, { name: 'one' });
    expect([await first, await second]).toEqual([{ name: 'one' }, { name: 'two' }]);
  });

  it('gives up after the time-out, cancels on the server, and clears its timer', async () => {
    const { server, client, clock } = connect();
    client.supportsCancel = true;
    const answer = client.request('evaluate', {}, anything, { timeout: 500 });
    clock.pass(499);
    expect(server.commands()).not.toContain('cancel');
    clock.pass(1);
    await expect(answer).rejects.toMatchObject({ code: 'AL_TIMEOUT' });
    expect((await server.request('cancel')).arguments).toEqual({ requestId: 1 });
    expect(clock.pending).toBe(0);
  });

  it('is interrupted by a signal', async () => {
    const { client } = connect();
    const controller = new AbortController();
    const answer = client.request('evaluate', {}, anything, { signal: controller.signal });
    controller.abort();
    await expect(answer).rejects.toMatchObject({ code: 'AL_TIMEOUT', message: 'evaluate was interrupted' });
  });

  it('tells a refusal in the words of the server', async () => {
    const { server, client } = connect();
    server.on('attach', (request) => server.refuse(request, 'taken', 'process 7 has it'));
    await expect(client.request('attach', {}, anything)).rejects.toMatchObject({
      code: 'AL_TAKEN',
      message: 'process 7 has it',
    });
  });

  it('refuses an answer that is not what DAP describes, naming the field', async () => {
    const { server, client } = connect();
    server.on('threads', { threads: [{ id: 'x', name: 'main' }] });
    const schema = z.object({ threads: z.array(z.object({ id: z.number() })) });
    await expect(client.request('threads', {}, schema)).rejects.toMatchObject({
      code: 'AL_PROTOCOL',
      message: expect.stringContaining('threads.0.id'),
    });
  });

  it('answers reverse requests by their handler, and refuses the others', async () => {
    const { server, client } = connect();
    client.onReverse('runInTerminal', async () => ({ processId: 5 }));
    server.raw({ type: 'request', command: 'runInTerminal', arguments: {} });
    server.raw({ type: 'request', command: 'startDebugging', arguments: {} });
    expect(await server.request('runInTerminal')).toMatchObject({
      type: 'response',
      success: true,
      body: { processId: 5 },
    });
    expect(await server.request('startDebugging')).toMatchObject({ type: 'response', success: false });
  });

  it('passes over messages that are none of DAP’s and events it does not know', async () => {
    const { server, client } = connect();
    const odd: string[] = [];
    const events: string[] = [];
    client.on('odd', (text) => odd.push(text));
    client.on('event', ({ event }) => events.push(event));
    server.raw({ type: 'gossip' });
    server.event('unheardOf');
    server.on('threads', {});
    await client.request('threads', {}, anything);
    expect(odd).toHaveLength(1);
    expect(events).toEqual(['unheardOf']);
  });

  it('rejects what is waiting when the stream ends, and says so when that was in a message', async () => {
    const { server, client } = connect();
    const answer = client.request('threads', {}, anything);
    server.bytes('Content-Length: 100\r\n\r\n{"seq"');
    server.end();
    await expect(answer).rejects.toMatchObject({
      code: 'AL_TARGET_GONE',
      message: 'the target has gone (in the middle of a message)',
    });
    await expect(client.request('threads', {}, anything)).rejects.toMatchObject({ code: 'AL_TARGET_GONE' });
  });

  it('closes on a broken frame and names it', async () => {
    const { server, client } = connect();
    const closed = new Promise((done) => client.once('closed', done));
    server.bytes('HTTP/1.1 400 Bad Request\r\n\r\n');
    expect(await closed).toMatchObject({ code: 'AL_FRAME' });
  });

  it('logs both directions', async () => {
    const { server, client, log } = connect();
    server.on('threads', { threads: [] });
    await client.request('threads', {}, anything);
    expect(log).toEqual([
      ['sent', expect.objectContaining({ seq: 1, command: 'threads' })],
      ['received', expect.objectContaining({ request_seq: 1 })],
    ]);
  });
});
