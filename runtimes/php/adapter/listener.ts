import { chmodSync, rmSync } from 'node:fs';
import { createServer, type Server, type Socket } from 'node:net';
import { RequestError } from '../../../src/adapters/dap-server.js';

/** Requests that may come at once before we have taken them; the system may allow fewer (listen(2)). */
const BACKLOG = 4_096;

/** Where the requests of PHP connect to. */
export class Listener {
  readonly #servers: Server[] = [];

  constructor(private readonly accept: (socket: Socket) => void) {}

  /** At a socket in a folder that nobody else may enter. */
  async listenAt(path: string): Promise<void> {
    rmSync(path, { force: true });
    await this.#listen((server) => server.listen({ path, backlog: BACKLOG }));
    chmodSync(path, 0o600);
  }

  /** On a port, for engines of other makes. @param where `HOST:PORT` */
  async listenOn(where: string): Promise<void> {
    const [, host, port] = /^(.+):(\d+)$/.exec(where) ?? [];
    if (host === undefined || port === undefined) {
      throw new RequestError('refused', `${JSON.stringify(where)} is not HOST:PORT`);
    }
    await this.#listen((server) => server.listen(Number(port), host));
  }

  close(): void {
    for (const server of this.#servers) {
      server.close();
    }
  }

  async #listen(begin: (server: Server) => void): Promise<void> {
    const server = createServer(this.accept);
    await new Promise<void>((resolve, reject) => {
      server.once('error', (error) => reject(new RequestError('refused', error.message)));
      server.once('listening', resolve);
      begin(server);
    });
    this.#servers.push(server);
  }
}
