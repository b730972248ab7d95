import { AmberError } from '../../core/errors.js';
import { patient } from '../../core/patience.js';
import { processFacts, stateOf } from '../linux.js';
import { targetGone } from '../refusals.js';
import type { Interpreter } from './interpreter.js';
import type { Lending } from './lending.js';
import { MACHINES, type Machine } from './machine.js';
import { Memory } from './memory.js';
import { tracingInterpreters } from './tracing-interpreters.js';

/** A process that is younger than this many milliseconds may not have loaded its interpreter yet. */
const YOUNG = 1_000;

/**
 * Looks whether the agent could be brought into a process, without touching it.
 * @returns the interpreter that would trace it
 * @throws AmberError as bringIn does
 */
export function reachFromOutside(pid: number, lending: Lending): { interpreter: string } {
  const facts = processFacts(pid);
  if (facts === undefined) {
    throw targetGone(pid);
  }
  const machine = machineHere(pid);
  const memory = new Memory(pid);
  try {
    lending.interpreterIn(memory, machine);
  } finally {
    memory.close();
  }
  const [first] = tracingInterpreters(facts);
  if (first === undefined) {
    throw noTracer(pid, []);
  }
  return { interpreter: first.path };
}

/** @throws AmberError `AL_NO_AGENT` where nobody has tried the processor */
export function machineHere(pid: number): Machine {
  const machine = MACHINES.find(({ name }) => name === process.arch);
  if (machine === undefined) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} was started without the agent, and on ${process.arch} nobody has tried to bring it in`,
      'start the program again with: amber run -- COMMAND',
    );
  }
  return machine;
}

/** The interpreter; of a process that has only just begun it may not be loaded yet. */
export async function interpreterOnceUp(
  memory: Memory,
  lending: Lending,
  machine: Machine,
  age: number,
): Promise<Interpreter> {
  for (const until = Date.now() + patient(YOUNG - age * 1000); ; ) {
    try {
      return lending.interpreterIn(memory, machine);
    } catch (error) {
      if (processFacts(memory.pid) === undefined) {
        throw targetGone(memory.pid);
      }
      if (Date.now() > until) {
        throw error;
      }
      await new Promise((done) => setTimeout(done, 5));
    }
  }
}

export function noTracer(pid: number, tried: readonly string[]): AmberError {
  return new AmberError(
    'AL_NO_AGENT',
    `no interpreter here can trace process ${pid}: ${tried.join(', ') || 'there is none'}`,
    'a Python with ctypes or a Ruby with Fiddle does it: on Debian, apt install python3',
  );
}

/** A process that somebody else holds, or that has been stopped, is left alone. @throws AmberError `AL_REFUSED` */
export function refuseHeld(pid: number): void {
  const { state, tracer } = stateOf(pid);
  if (tracer !== 0) {
    throw new AmberError(
      'AL_REFUSED',
      `process ${pid} is traced already, by process ${tracer}`,
      `end what traces it: ${processFacts(tracer)?.command.slice(0, 60) ?? ''}`,
    );
  }
  if (state === 'T') {
    throw new AmberError('AL_REFUSED', `process ${pid} is stopped`, `let it go on: kill -CONT ${pid}`);
  }
}
