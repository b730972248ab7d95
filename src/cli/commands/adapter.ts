import { createServer, type Socket } from 'node:net';
import { Duplex } from 'node:stream';
import { RUNTIMES } from '../../../runtimes/list.js';
import { Gate } from '../../adapters/gate.js';
import { AmberError } from '../../core/errors.js';

/**
 * `amber adapter RUNTIME`: serves our adapter over plain DAP, on standard input and output or on a port of this
 * machine, one client after the other. @returns the exit code once the client has gone
 */
export async function adapter(runtime: string, options: { port?: string }): Promise<number> {
  const found = RUNTIMES.find(({ name }) => name === runtime);
  const serving = found?.serve;
  if (serving === undefined) {
    const served = RUNTIMES.filter((one) => one.serve).map(({ name }) => name);
    const hint =
      found === undefined
        ? `there is one for ${served.join(' and ')}`
        : `the agent in a ${found.title} program is a DAP server itself: see AMBER_LISTEN`;
    throw new AmberError('AL_USAGE', `there is no adapter for ${JSON.stringify(runtime)}`, hint);
  }
  const serve = (stream: Duplex) => serving(stream, process.env);
  if (options.port === undefined) {
    const stream = Duplex.from({ readable: process.stdin, writable: process.stdout });
    await serve(stream);
    return 0;
  }
  return await serveOnPort(options.port, serve);
}

async function serveOnPort(port: string, serve: (stream: Duplex) => Promise<void>): Promise<number> {
  const number = Number(port);
  if (!Number.isInteger(number) || number < 0 || number > 65_535) {
    throw new AmberError('AL_USAGE', `${JSON.stringify(port)} is no port`, '0 takes any that is free');
  }
  const token = process.env.AMBER_TOKEN;
  if (!token) {
    throw new AmberError(
      'AL_USAGE',
      'an adapter on a port asks for a token: everybody on this machine can reach it, and it runs code in your programs',
      'put one into AMBER_TOKEN, and `"token"` into the arguments of attach; or use its streams, without --port',
    );
  }
  const gate = new Gate(token);
  const clients = new Set<Socket>();
  const server = createServer((socket) => {
    clients.add(socket);
    void serve(gate.admit(socket)).finally(() => clients.delete(socket));
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error) => reject(new AmberError('AL_USAGE', `port ${port}: ${error.message}`)));
    server.listen(number, '127.0.0.1', resolve);
  });
  const address = server.address();
  process.stdout.write(`listening on tcp:127.0.0.1:${typeof address === 'object' ? address?.port : port}\n`);
  return await new Promise((resolve) => {
    for (const [signal, code] of [
      ['SIGINT', 130],
      ['SIGTERM', 143],
    ] as const) {
      process.once(signal, () => {
        server.close();
        for (const socket of clients) {
          socket.end();
        }
        resolve(code);
      });
    }
  });
}
