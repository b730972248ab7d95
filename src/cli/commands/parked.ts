import { AmberError, exitCodeOf } from '../../core/errors.js';
import { standardOutput } from '../context.js';
import { endSession, hasTarget, parkedSessions } from '../parked/sessions.js';
import { parkedTable } from '../render/parked.js';

/** `amber parked`: sessions that are kept without a terminal, and ending them. @returns the exit code */
export async function parked(wanted: string[], options: { json?: boolean; end?: boolean }): Promise<number> {
  const output = standardOutput(options.json === true);
  const sessions = await parkedSessions(process.env);
  if (!options.end) {
    if (wanted.length > 0) {
      throw new AmberError('AL_USAGE', 'sessions are named to be ended', `amber parked --end ${wanted[0]}`);
    }
    const record = {
      kind: 'parked' as const,
      sessions: sessions.map(({ path: _path, ...standing }, index) => ({ number: index + 1, ...standing })),
    };
    output.tell(record, () =>
      parkedTable(sessions, { palette: output.palette, width: output.width, here: process.cwd() }),
    );
    return 0;
  }
  const named = wanted.flatMap((word) => {
    const found = sessions.filter(
      (session, index) => word === 'all' || word === `${index + 1}` || hasTarget(session, word),
    );
    if (found.length === 0 && word !== 'all') {
      throw new AmberError('AL_USAGE', `no session that is kept is ${word}`, '`amber parked` lists them');
    }
    return found;
  });
  if (wanted.length === 0) {
    throw new AmberError('AL_USAGE', 'say which session is to end', 'amber parked --end 1, or --end all');
  }
  const wantedToEnd = [...new Set(named)];
  const left = await Promise.all(wantedToEnd.map(async (session) => !(await endSession(session))));
  for (const [index, { pid, targets }] of wantedToEnd.entries()) {
    const names = targets.map(({ name }) => name).join(', ') || 'nothing';
    if (left[index]) {
      const hint = `\`kill ${pid}\` ends the process that keeps it; what it holds goes on within 2 s`;
      output.error(new AmberError('AL_TIMEOUT', `the session on ${names} does not end`, hint));
    } else {
      output.remark(`ended the session on ${names}; what it held goes on without marks`);
    }
  }
  return left.some(Boolean) ? exitCodeOf('AL_TIMEOUT') : 0;
}
