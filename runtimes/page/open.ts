import { messagePair } from '../../src/adapters/pair.js';
import { AmberError } from '../../src/core/errors.js';
import type { Openable, Opener, Opening } from '../../src/targets/runtime.js';
import { PageAdapter } from './adapter.js';
import { PageConnection } from './connection.js';

/**
 * Opens a page of a browser: our adapter, in this process, puts DAP on it.
 * @throws AmberError `AL_REFUSED` where somebody else has it to himself
 */
export async function openPage({ target, entry }: Openable, { project }: Opener): Promise<Opening> {
  const page = target?.page;
  if (page?.socket === undefined) {
    const who = target?.name ?? 'the page';
    throw new AmberError(
      'AL_REFUSED',
      `${who} has a client already that allows nobody beside it`,
      'end that first',
    );
  }
  const { socket, id } = page;
  return {
    async connect() {
      // Before DAP has begun, so that what is in the way is told in its own words.
      const connection = await PageConnection.open(socket);
      const [ours, adapters] = messagePair();
      new PageAdapter(adapters, connection, entry);
      return ours;
    },
    attach: { frame: id, project },
  };
}
