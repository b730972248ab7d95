import { type Finding, good, type Section, wrong } from '../core/finding.js';
import { processFacts, stateOf } from '../targets/linux.js';
import { userId } from '../targets/run-folder.js';
import type { Runtime } from '../targets/runtime.js';
import { describeTarget, type Target } from '../targets/target.js';

/** One target: the steps of attaching to it, in their order, with what each would meet. The process is not touched. */
export async function checkTarget(
  runtimes: readonly Runtime[],
  pid: number,
  target: Target | undefined,
): Promise<Section> {
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
  const runtime = runtimes.find(({ name }) => name === target.runtime);
  findings.push(...((await runtime?.check(target)) ?? []));
  if (!findings.some(({ state }) => state === 'wrong')) {
    const way = target.description === undefined && target.takesAgent ? ' --yes' : '';
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
