import { allTargets } from '../../../runtimes/list.js';
import { projectFolder } from '../../core/project/project.js';
import { type Target, targetId } from '../../targets/target.js';
import { standardOutput } from '../context.js';
import { givenTargets } from '../given.js';
import { parkedSessions } from '../parked/sessions.js';
import { targetsTable } from '../render/tables.js';

/** `amber targets`: what can be attached to, and why something cannot. @returns the exit code */
export async function targets(options: { json?: boolean; browser?: string }): Promise<number> {
  const output = standardOutput(options.json === true);
  const given = await givenTargets(projectFolder(process.cwd()));
  const found = await allTargets(process.env, given, options);
  await nameKept(found);
  const record = {
    kind: 'targets' as const,
    targets: found.map(
      ({
        description: _description,
        base: _base,
        title: _title,
        takesAgent: _takes,
        page: _page,
        ...target
      }) => ({
        ...target,
        age: Math.round(target.age),
      }),
    ),
  };
  const context = { palette: output.palette, width: output.width, here: process.cwd() };
  output.tell(record, () => targetsTable(found, context));
  return 0;
}

/** Of what a session has that is kept, how it is come by. */
async function nameKept(targets: Target[]): Promise<void> {
  const sessions = await parkedSessions(process.env);
  for (const target of targets.filter(({ state }) => state === 'taken')) {
    const id = targetId(target);
    if (sessions.some((session) => session.targets.some((one) => one.id === id))) {
      target.reason = `parked: amber attach ${target.name} joins it`;
    }
  }
}
