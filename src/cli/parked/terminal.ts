import { connect, type Socket } from 'node:net';
import { AmberError } from '../../core/errors.js';
import { receive, type Size, send, toldSchema } from './wire.js';

/** How a terminal has left a session. */
export type Left =
  | { how: 'over'; code: number }
  | { how: 'parked' | 'taken' | 'lost' }
  /** It was not let in: the process of the terminal that has the keyboard. */
  | { how: 'busy'; terminal: number };

/**
 * Puts this terminal on a session that another process keeps, until either leaves.
 * @param takes whether the keyboard is taken from a terminal that has it
 * @throws AmberError `AL_TARGET_GONE` where nobody listens
 */
export async function joinSession(path: string, takes: boolean): Promise<Left> {
  const socket = await connected(path);
  const { stdin, stdout } = process;
  const resized = () => send(socket, { size: sizeOf() });
  const typed = (keys: string) => send(socket, { keys });
  try {
    return await new Promise<Left>((done) => {
      receive(socket, toldSchema, (told) => {
        if ('joined' in told) {
          stdin.setEncoding('utf8');
          stdin.on('data', typed);
          stdin.resume();
          process.on('SIGWINCH', resized);
        } else if ('busy' in told) {
          done({ how: 'busy', terminal: told.busy });
        } else if ('show' in told) {
          stdout.write(told.show);
        } else if ('raw' in told) {
          stdin.setRawMode?.(told.raw);
        } else if ('left' in told) {
          done({ how: told.left });
        } else if ('over' in told) {
          done({ how: 'over', code: told.over });
        }
      });
      socket.once('close', () => done({ how: 'lost' }));
      send(socket, { join: { ...sizeOf(), pid: process.pid, takes } });
    });
  } finally {
    process.off('SIGWINCH', resized);
    stdin.off('data', typed);
    stdin.setRawMode?.(false);
    stdin.pause();
    socket.destroy();
  }
}

/** @throws AmberError `AL_TARGET_GONE` */
export function connected(path: string): Promise<Socket> {
  return new Promise((done, failed) => {
    const socket = connect(path);
    socket.once('connect', () => done(socket));
    socket.once('error', () =>
      failed(new AmberError('AL_TARGET_GONE', 'this session is not there any more')),
    );
  });
}

function sizeOf(): Size {
  const { columns, rows } = process.stdout;
  return { columns: columns || 80, rows: rows || 24 };
}
