import { AmberError } from '../../../core/errors.js';
import { columns } from '../../render/text.js';
import { findCommand, type PromptCommand, readNumber } from '../command.js';
import type { TargetBench } from '../target-bench.js';
import type { Workbench } from '../workbench.js';
import { showSource } from './frames.js';
import { showWatches } from './watch.js';

async function threads(bench: Workbench): Promise<void> {
  const { palette } = bench.output;
  const selected = bench.selectedStop?.threadId;
  const list = (await bench.session.threads()).map(({ id, name }) => ({
    id,
    name,
    paused: bench.session.stopOf(id) !== undefined,
    selected: id === selected,
  }));
  bench.output.tell({ kind: 'threads', threads: list }, () =>
    columns(
      ['', 'thread', 'name', 'state'].map(palette.faint),
      list.map(({ id, name, paused, selected: isSelected }) => [
        isSelected ? palette.next('▸') : '',
        `${id}`,
        name,
        paused ? palette.next('paused') : palette.faint('running'),
      ]),
      [1],
    ),
  );
}

async function selectThread(bench: Workbench, rest: string): Promise<void> {
  const id = readNumber(rest);
  const stop = bench.session.stopOf(id);
  if (stop === undefined) {
    const known = (await bench.session.threads()).some((thread) => thread.id === id);
    throw known
      ? new AmberError('AL_NOT_STOPPED', `thread ${id} is running`, `\`pause ${id}\` stops it`)
      : new AmberError('AL_USAGE', `there is no thread ${id}`, '`threads` lists them');
  }
  bench.selectStop(stop);
  await showSource(bench, '');
}

async function detach(bench: Workbench, rest: string): Promise<void> {
  if (rest.trim() === '') {
    await bench.detachAll();
    return;
  }
  await bench.targetNamed(rest).session.detach();
}

async function park(bench: Workbench): Promise<void> {
  if (bench.park === undefined) {
    throw new AmberError(
      'AL_NOT_SUPPORTED',
      'this session ends with its terminal',
      '`amber attach --park` opens one that is kept',
    );
  }
  bench.park();
}

async function targets(bench: Workbench): Promise<void> {
  const { palette } = bench.output;
  const list = bench.targets.map((target) => ({
    number: target.number,
    target: target.target.id,
    name: target.target.name,
    state: stateOf(target),
    selected: bench.isSelected(target),
  }));
  const paint: Record<string, (text: string) => string> = { paused: palette.next, running: palette.faint };
  bench.output.tell({ kind: 'attached', targets: list }, () =>
    columns(
      ['', 'target', 'name', 'process', 'state'].map(palette.faint),
      list.map(({ number, name, target, state, selected }) => [
        selected ? palette.next('▸') : '',
        `${number}`,
        name,
        target === name ? '' : palette.faint(target),
        (paint[state] ?? palette.waiting)(state),
      ]),
      [1],
    ),
  );
}

function stateOf({ session }: TargetBench): string {
  if (session.state === 'ended') {
    return 'gone';
  }
  return session.stops.length > 0 ? 'paused' : 'running';
}

async function selectTarget(bench: Workbench, rest: string): Promise<void> {
  const target = bench.select(rest);
  if (target.selectedStop !== undefined) {
    await showSource(bench, '');
    await showWatches(bench, false);
    return;
  }
  bench.output.remark(`target ${target.number} (${target.target.name}): ${stateOf(target)}`);
}

async function help(bench: Workbench, rest: string, commands: readonly PromptCommand[]): Promise<void> {
  const { palette } = bench.output;
  if (rest.trim() !== '') {
    const command = findCommand(rest.trim(), commands);
    const head = `${palette.strong(command.name)} ${command.usage}`.trim();
    bench.output.remark(
      [head, `  ${command.summary}`, ...(command.details ? ['', command.details] : [])].join('\n'),
    );
    return;
  }
  const rows = commands.map((command) => [
    `  ${palette.strong(command.name)} ${command.usage}`.trimEnd(),
    command.summary,
  ]);
  const head = ['  command', ''].map(palette.faint);
  bench.output.remark(
    `${columns(head, rows)}\n\n  Any start of a name that is clear will do: res for resume. Ctrl-D detaches.`,
  );
}

export const sessionCommands: PromptCommand[] = [
  { name: 'targets', usage: '', summary: 'the targets of this prompt', completes: 'none', run: targets },
  { name: 'target', usage: 'N|NAME', summary: 'select a target', completes: 'target', run: selectTarget },
  { name: 'threads', usage: '', summary: 'list the threads', completes: 'none', run: threads },
  { name: 'thread', usage: 'N', summary: 'select a paused thread', completes: 'none', run: selectThread },
  {
    name: 'detach',
    usage: '[N|NAME]',
    summary: 'take every mark out and leave the programs running',
    completes: 'target',
    run: detach,
  },
  {
    name: 'park',
    usage: '',
    summary: 'leave the terminal; the session stays, with what it has paused (attach --park)',
    completes: 'none',
    run: park,
  },
  {
    name: 'help',
    usage: '[COMMAND]',
    summary: 'this list, or more about a command',
    completes: 'none',
    run: help,
  },
];
