import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { patient } from '../../core/patience.js';
import { runFolder } from '../../targets/run-folder.js';
import { connected } from './terminal.js';
import { receive, type Standing, send, toldSchema } from './wire.js';

const SOCKET = /^parked-\d+\.sock$/;
/** Milliseconds in which a session has to say how it stands, and to let go of everything. */
const PATIENCE = 2_000;
const ENDS_WITHIN = 10_000;

/** A session that is kept, and the socket by which it is reached. */
export interface ParkedSession extends Standing {
  path: string;
}

/** Where the session has its socket that a process keeps. @param pid of the process that starts it */
export function socketPath(environment: NodeJS.ProcessEnv, pid: number): string {
  return join(runFolder(environment), `parked-${pid}.sock`);
}

/** Every session of this user that is kept, the oldest first; what killed ones have left is removed. */
export async function parkedSessions(environment: NodeJS.ProcessEnv): Promise<ParkedSession[]> {
  const folder = runFolder(environment);
  const paths = readdirSync(folder)
    .filter((name) => SOCKET.test(name))
    .map((name) => join(folder, name));
  const found = await Promise.all(paths.map(askStanding));
  return found.filter((one) => one !== undefined).sort((one, other) => one.since - other.since);
}

async function askStanding(path: string): Promise<ParkedSession | undefined> {
  let socket: Awaited<ReturnType<typeof connected>>;
  try {
    socket = await connected(path);
  } catch {
    rmSync(path, { force: true });
    return undefined;
  }
  try {
    return await new Promise((done) => {
      const late = setTimeout(() => done(undefined), patient(PATIENCE));
      socket.once('close', () => done(undefined));
      receive(socket, toldSchema, (told) => {
        if ('standing' in told) {
          clearTimeout(late);
          done({ ...told.standing, path });
        }
      });
      send(socket, { ask: true });
    });
  } finally {
    socket.destroy();
  }
}

/** Has a session end: everything in its targets is let go. @returns whether it has, in time */
export async function endSession({ path }: ParkedSession): Promise<boolean> {
  const socket = await connected(path).catch(() => undefined);
  if (socket === undefined) {
    return true;
  }
  try {
    return await new Promise<boolean>((done) => {
      const late = setTimeout(() => done(false), patient(ENDS_WITHIN));
      socket.on('error', () => undefined);
      socket.once('close', () => {
        clearTimeout(late);
        done(true);
      });
      socket.resume();
      send(socket, { end: true });
    });
  } finally {
    // It would keep us here for as long as the session stays.
    socket.destroy();
  }
}

/** Whether a session has a target that is called so: its name, with or without its number, its pid, or its id. */
export function hasTarget({ targets }: Standing, wanted: string): boolean {
  return targets.some(
    ({ id, name }) =>
      [id, name, name.replace(/ \d+$/, '')].includes(wanted) || id.split(':').at(-1) === wanted,
  );
}
