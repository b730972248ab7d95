import { createServer, type Socket } from 'node:net';
import { Duplex } from 'node:stream';
import { JavaScriptAdapter } from '../../adapters/javascript/adapter.js';
import { AmberError } from '../../core/errors.js';
import { forgetInspector, openInspector } from '../../targets/node.js';

const RUNTIMES = ['javascript'];

/**
 * `amber adapter RUNTIME`: serves our adapter over plain DAP, on standard input and output or on a port of this
 * machine, one client after the other. @returns the exit code once the client has gone
 */
export async function adapter(runtime: string, options: { port?: string }): Promise<number> {
  if (!RUNTIMES.includes(runtime)) {
    const hint =
      runtime === 'python' || runtime === 'ruby'
        ? 'the agent in a Python or Ruby program is a DAP server itself: see AMBER_LISTEN'
        : `there is one for ${RUNTIMES.join(', ')}`;
    throw new AmberError('AL_USAGE', `there is no adapter for ${JSON.stringify(runtime)}`, hint);
  }
  if (options.port === undefined) {
    const stream = Duplex.from({ readable: process.stdin, writable: process.stdout });
    await serve(stream);
    return 0;
  }
  return await serveOnPort(options.port);
}

/** Serves one client until it has gone and everything has been taken out. */
async function serve(stream: Duplex): Promise<void> {
  let pid: number | undefined;
  const adapter = new JavaScriptAdapter(stream, async (wanted) => {
    pid = wanted;
    const { url, opened } = await openInspector(process.env, wanted);
    return { url, closeAtDetach: opened };
  });
  await adapter.left;
  if (pid !== undefined) {
    forgetInspector(process.env, pid);
  }
}

async function serveOnPort(port: string): Promise<number> {
  const number = Number(port);
  if (!Number.isInteger(number) || number < 0 || number > 65_535) {
    throw new AmberError('AL_USAGE', `${JSON.stringify(port)} is no port`, '0 takes any that is free');
  }
  const clients = new Set<Socket>();
  const server = createServer((socket) => {
    clients.add(socket);
    void serve(socket).finally(() => clients.delete(socket));
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
