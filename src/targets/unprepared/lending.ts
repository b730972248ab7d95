import type { ProcessFacts } from '../linux.js';
import type { Interpreter } from './interpreter.js';
import type { Machine } from './machine.js';
import type { Memory } from './memory.js';

/** What the text that an interpreter runs has to know. */
export interface LentPaths {
  /** Where the agent is, as the process calls it. */
  agent: string;
  /** The run folder. */
  folder: string;
  /** What the interpreter makes as soon as it runs the text. */
  begun: string;
  /** Where the interpreter writes why it could not load the agent. */
  trouble: string;
  /** The signals that the main thread blocks. */
  mask: bigint;
}

/** How it is known what has become of a text. */
export interface Signs {
  /** The text is run: nothing needs its page any more. */
  hasBegun: () => boolean;
  /** It has done its work, as the agent's own socket tells, or has said why it could not. */
  isThere: () => boolean;
}

/** How the agent of a runtime is brought into a process that was started without it (docs/unprepared.md). */
export interface Lending {
  /** Finds the interpreter in a process. @throws AmberError `AL_NO_AGENT` */
  interpreterIn(memory: Memory, machine: Machine): Interpreter;
  /** What the interpreter runs: it raises nothing, prints nothing, and leaves no name in the program. */
  text(paths: LentPaths): string;
  /** Whether a process can be asked to run a file, by means of its own. */
  execsByItself?(facts: ProcessFacts): boolean;
  /** Has it do so. @param file where the text is put, for the process to read */
  exec?(facts: ProcessFacts, file: string, text: (mask: bigint) => string, signs: Signs): Promise<void>;
}
