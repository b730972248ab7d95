import { AmberError } from '../../../core/errors.js';
import type { StepKind } from '../../../core/session/stop.js';
import { type PromptCommand, readNumber, readWait, WAIT_SECONDS } from '../command.js';
import type { Workbench } from '../workbench.js';
import { waitCells } from './cells.js';
import { waitResponse } from './requests.js';

/** Milliseconds after which a step that has not ended is left to end when it does. */
const STEP_PATIENCE = 5_000;

async function step(bench: Workbench, kind: StepKind, anywhere: boolean): Promise<void> {
  const { threadId } = bench.stop;
  await bench.move((stop) => stop.step(kind, anywhere));
  await endOfStep(bench, threadId);
}

/** Waits for the step to end, since what is typed next is about where it ended. */
async function endOfStep(bench: Workbench, threadId: number): Promise<void> {
  const stopped = async () => {
    let report = await bench.nextStop(STEP_PATIENCE);
    while (report.thread.id !== threadId) {
      report = await bench.nextStop(STEP_PATIENCE);
    }
  };
  try {
    // The end of the cells that run is an end of it too.
    await Promise.race([stopped(), ...(bench.notebook?.isRunning ? [bench.notebook.ended] : [])]);
  } catch (error) {
    if (error instanceof AmberError && error.code === 'AL_WAIT') {
      bench.output.remark('running; the step ends at the next line of the project that this thread reaches');
      return;
    }
    throw error;
  }
}

async function into(bench: Workbench, rest: string): Promise<void> {
  const word = rest.trim();
  if (word !== '' && word !== 'any') {
    throw new AmberError('AL_USAGE', `\`into\` takes nothing or \`any\`, not ${JSON.stringify(word)}`);
  }
  await step(bench, 'into', word === 'any');
}

async function until(bench: Workbench, rest: string): Promise<void> {
  const frame = await bench.frame();
  const { threadId } = bench.stop;
  const { path, name } = frame.source ?? {};
  const file = path ?? (bench.session.isAmber ? name : undefined);
  if (file === undefined) {
    throw new AmberError('AL_NOT_SUPPORTED', 'this frame has no file to run to a line of');
  }
  const line = readNumber(rest.trim().replace(/^.*:/, ''));
  await bench.stopOnceAt(file, line);
  await bench.move((stop) => stop.resume());
  await endOfStep(bench, threadId);
}

async function resume(bench: Workbench): Promise<void> {
  await bench.move((stop) => stop.resume());
  const [next] = bench.session.stops;
  if (next === undefined && bench.sharesTerminal) {
    // The program may be printing already.
    return;
  }
  bench.output.remark(next === undefined ? 'running' : `running; thread ${next.threadId} is paused still`);
}

async function pause(bench: Workbench, rest: string): Promise<void> {
  if (bench.session.amber?.threads === 'requests') {
    await bench.session.pause(0);
    bench.output.remark('the next request stops at its first line, or one that runs at its next statement');
    return;
  }
  const threads = await bench.session.threads();
  const wanted = rest.trim() === '' ? undefined : readNumber(rest);
  const paused = new Set(bench.session.stops.map((stop) => stop.threadId));
  const thread =
    wanted === undefined
      ? threads.find(({ id }) => !paused.has(id))
      : threads.find(({ id }) => id === wanted);
  if (thread === undefined) {
    const hint = '`threads` lists them';
    throw new AmberError(
      'AL_USAGE',
      wanted === undefined ? 'every thread is paused' : `there is no thread ${wanted}`,
      hint,
    );
  }
  await bench.session.pause(thread.id);
  try {
    await bench.nextStop(STEP_PATIENCE);
  } catch (error) {
    if (error instanceof AmberError && error.code === 'AL_WAIT') {
      bench.output.remark(`${thread.name} waits for something outside its code; it stops when it runs on`);
      return;
    }
    throw error;
  }
}

/** Runs the selected frame again from its first line. */
async function restart(bench: Workbench): Promise<void> {
  const { threadId } = bench.stop;
  const frame = await bench.frame();
  if (frame.canRestart === false) {
    throw new AmberError(
      'AL_NOT_SUPPORTED',
      `${frame.name} cannot be run again`,
      'a generator or an async function cannot',
    );
  }
  await bench.move((stop) => stop.restartFrame(frame.id));
  await endOfStep(bench, threadId);
}

async function wait(bench: Workbench, rest: string): Promise<void> {
  const word = rest.trim();
  if (/^response(\s|$)/.test(word)) {
    await waitResponse(bench, word.slice('response'.length));
    return;
  }
  if (/^cells(\s|$)/.test(word)) {
    await waitCells(bench, word.slice('cells'.length));
    return;
  }
  await bench.nextStopAnywhere(readWait(word, 'wait'));
}

export const moveCommands: PromptCommand[] = [
  { name: 'resume', usage: '', summary: 'let the selected thread go on', completes: 'none', run: resume },
  {
    name: 'over',
    usage: '',
    summary: 'to the next line, past calls',
    completes: 'none',
    run: (bench) => step(bench, 'over', false),
  },
  {
    name: 'into',
    usage: '[any]',
    summary: 'into the next call of project code (any: into foreign code too)',
    completes: 'none',
    run: into,
  },
  {
    name: 'out',
    usage: '',
    summary: 'to the line after the call that led here',
    completes: 'none',
    run: (bench) => step(bench, 'out', false),
  },
  { name: 'until', usage: 'LINE', summary: 'run to a line of this file', completes: 'none', run: until },
  {
    name: 'restart',
    acts: true,
    usage: '',
    summary: 'run the selected frame again from its first line',
    completes: 'none',
    run: restart,
  },
  {
    name: 'pause',
    acts: true,
    usage: '[THREAD]',
    summary: 'stop a running thread where it is',
    completes: 'none',
    run: pause,
  },
  {
    name: 'wait',
    usage: '[response | cells] [SECONDS]',
    summary: `until the next stop, or response, or the end of cells; fails if none comes (${WAIT_SECONDS} s)`,
    completes: 'none',
    run: wait,
  },
];
