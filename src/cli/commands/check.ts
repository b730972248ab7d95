import { RUNTIMES, targetsHere } from '../../../runtimes/list.js';
import { checkMachine } from '../../check/machine.js';
import { checkProject } from '../../check/project.js';
import { checkTarget } from '../../check/target.js';
import { AmberError } from '../../core/errors.js';
import { isWrong, type Section } from '../../core/finding.js';
import { projectFolder } from '../../core/project/project.js';
import { candidateTargets } from '../../targets/choose.js';
import type { Given } from '../../targets/find.js';
import type { Target } from '../../targets/target.js';
import { standardOutput } from '../context.js';
import { givenTargets } from '../given.js';
import { findingsText } from '../render/findings.js';

/**
 * `amber check [TARGET…]`: looks at this machine and this project, or at targets, and says what is missing and how to
 * get it.
 * @returns the exit code: 1 when something is wrong
 */
export async function check(wanted: string[], options: { json?: boolean }): Promise<number> {
  const output = standardOutput(options.json === true);
  const project = projectFolder(process.cwd());
  const given = await givenTargets(project);
  const found = targetsOrNone(given);
  const sections: Section[] = [];
  if (wanted.length === 0) {
    sections.push(await checkMachine(RUNTIMES, process.env));
    sections.push(await checkProject({ current: process.cwd(), project }, found));
  }
  for (const one of wanted) {
    for (const pid of pidsOf(found, one, given)) {
      sections.push(
        await checkTarget(
          RUNTIMES,
          pid,
          found.find((target) => target.pid === pid),
        ),
      );
    }
  }
  const ok = !isWrong(sections);
  output.tell({ kind: 'check', ok, sections }, () => findingsText(sections, output));
  return ok ? 0 : 1;
}

/** Without a run folder there are no targets; what is wrong with it is said below `this machine`. */
function targetsOrNone(given: Given): Target[] {
  try {
    return targetsHere(process.env, given);
  } catch (error) {
    if (error instanceof AmberError && error.code === 'AL_RUN_FOLDER') {
      return [];
    }
    throw error;
  }
}

/** @throws AmberError `AL_NO_TARGET` */
function pidsOf(targets: Target[], wanted: string, given: Given): number[] {
  if (/^\d+$/.test(wanted)) {
    return [Number(wanted)];
  }
  return candidateTargets(RUNTIMES, targets, wanted, given).map(({ pid }) => pid);
}
