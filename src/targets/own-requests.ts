import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { runFolder } from './run-folder.js';

/** By which the requests that this user sends are known to be theirs; made when it is first asked for. */
export function ownToken(environment: NodeJS.ProcessEnv): string {
  const file = join(runFolder(environment), 'own-requests');
  if (!existsSync(file)) {
    writeFileSync(file, randomBytes(12).toString('hex'), { mode: 0o600 });
  }
  return readFileSync(file, 'utf8');
}

/** The `tracestate` (W3C Trace Context) of the requests that this user sends. */
export function ownTracestate(environment: NodeJS.ProcessEnv): string {
  return `amber=${ownToken(environment)}`;
}
