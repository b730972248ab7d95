import { preflight } from '../../runtimes/node/process/preflight.js';
import { canOpenInspector } from '../../runtimes/node/process/signs.js';
import { AmberError } from '../core/errors.js';
import { canLend } from '../targets/find.js';
import { environmentOf, processFacts, stateOf, tracingRule } from '../targets/linux.js';
import { userId } from '../targets/run-folder.js';
import { describeTarget, type Target } from '../targets/target.js';
import { reachFromOutside } from '../targets/unprepared/reach.js';
import { type Finding, good, note, type Section, wrong } from './finding.js';

/** One target: the steps of attaching to it, in their order, with what each would meet. The process is not touched. */
export async function checkTarget(pid: number, target: Target | undefined): Promise<Section> {
  const facts = processFacts(pid);
  if (facts === undefined) {
    const gone = wrong('process', `there is no process ${pid}`, 'amber targets');
    return { title: `process ${pid}`, findings: [gone] };
  }
  const title = target ? `target ${target.name}, process ${pid}` : `process ${pid}`;
  if (target === undefined) {
    const found = `${facts.command.slice(0, 60)} is not an interpreter that can be attached to`;
    return { title, findings: [wrong('process', found, 'amber targets')] };
  }
  const findings: Finding[] = [
    good('process', describeTarget(target)),
    checkOwner(facts.uid),
    checkState(pid),
  ];
  if (findings.some(({ state }) => state === 'wrong')) {
    return { title, findings };
  }
  if (target.state === 'taken') {
    findings.push(wrong('client', target.reason ?? 'somebody is attached', 'end that session first'));
  }
  switch (target.runtime) {
    case 'javascript':
      findings.push(...(await checkNode(pid)));
      break;
    case 'php':
      findings.push(
        target.state === 'closed'
          ? wrong('agent', `it ${target.reason}`, `amber run -- ${target.command}`)
          : target.command.startsWith('php-fpm') && !target.prepared
            ? note(
                'agent',
                'from outside nobody sees whether its requests have it',
                `where they have not: amber attach ${pid} --document-root FOLDER`,
              )
            : good('agent', 'requests are looked at as they come; what runs now is not'),
      );
      break;
    default:
      findings.push(...checkAgent(target));
  }
  if (!findings.some(({ state }) => state === 'wrong')) {
    const way = target.description === undefined && canLend(target.runtime) ? ' --yes' : '';
    findings.push(good('so', `amber attach ${pid}${way}`));
  }
  return { title, findings };
}

function checkOwner(uid: number): Finding {
  if (uid === userId()) {
    return good('owner', 'it is yours');
  }
  return userId() === 0
    ? good('owner', `it belongs to user ${uid}, and you are root`)
    : wrong('owner', `it belongs to user ${uid}`, 'run amber as that user, or as root');
}

function checkState(pid: number): Finding {
  const { state, tracer } = stateOf(pid);
  if (tracer !== 0) {
    return wrong('state', `process ${tracer} traces it`, `kill ${tracer}`);
  }
  return state === 'T'
    ? wrong('state', 'it is stopped, and answers nobody', `kill -CONT ${pid}`)
    : good('state', state === 'R' ? 'it runs' : 'it waits for something');
}

async function checkNode(pid: number): Promise<Finding[]> {
  try {
    const { open } = await preflight(pid, false);
    const how =
      open === undefined
        ? 'is closed; a signal opens it for a moment, to bring the agent in'
        : `listens on port ${open.port} already, and is used`;
    return [good('inspector', how)];
  } catch (error) {
    const { message, hint } = error as AmberError;
    const found = canOpenInspector(pid)
      ? message
      : `${message}: it has replaced Node's handler of SIGUSR1, or was started without`;
    return [wrong('inspector', found, error instanceof AmberError ? hint : undefined)];
  }
}

/** Python and Ruby: an agent that is asleep, or one that has to be brought in. */
function checkAgent({ pid, runtime, description, folder }: Target): Finding[] {
  if (description !== undefined && description.signal > 0) {
    return [
      good('agent', `is there, asleep; signal ${description.signal} wakes it`),
      good('endpoint', description.socket),
    ];
  }
  const elsewhere = environmentOf(pid, 'AMBER_RUN_DIR');
  const findings: Finding[] = [];
  if (elsewhere !== undefined && elsewhere !== process.env.AMBER_RUN_DIR) {
    findings.push(
      note(
        'agent',
        `its endpoint is in another folder (AMBER_RUN_DIR=${elsewhere})`,
        `AMBER_RUN_DIR=${elsewhere} amber attach ${pid}`,
      ),
    );
  } else {
    findings.push(note('agent', `is not there: the program was started without it, in ${folder}`));
  }
  try {
    const { interpreter } = reachFromOutside(pid, runtime === 'ruby' ? 'ruby' : 'python');
    findings.push(
      good('memory', 'may be read and written from here'),
      good('interpreter', `has the functions that bring the agent in; traced by ${interpreter}`),
    );
  } catch (error) {
    const { message, hint } = error as AmberError;
    const isRule = tracingRule() > 0 && userId() !== 0;
    findings.push(
      wrong(
        'memory',
        message,
        isRule
          ? 'sudo sysctl kernel.yama.ptrace_scope=0, or amber run'
          : error instanceof AmberError
            ? hint
            : undefined,
      ),
    );
  }
  return findings;
}
