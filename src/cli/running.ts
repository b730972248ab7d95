import { createReadStream } from 'node:fs';
import type { Readable } from 'node:stream';
import { exitCodeOf } from '../core/errors.js';
import type { PromptSession } from './attach-session.js';
import { addMark } from './prompt/commands/marks.js';
import { runInteractive } from './prompt/interactive.js';
import { SavedEdits } from './prompt/saved-edits.js';
import { runScript } from './prompt/script.js';
import { toAmberError } from './render/output.js';

/**
 * Runs the prompt on what is open: from a file, a pipe or the terminal.
 * @returns the exit code
 */
export async function runPrompt(session: PromptSession): Promise<number> {
  const { bench, local, suspension, options } = session;
  suspension.begin();
  let interrupted = 0;
  const leave = (_signal: NodeJS.Signals, number: number) => {
    interrupted = 128 + number;
    void bench.detachAll(true);
  };
  const signals: NodeJS.Signals[] = [
    'SIGTERM',
    'SIGHUP',
    ...(bench.sharesTerminal ? [] : (['SIGINT'] as const)),
  ];
  for (const signal of signals) {
    process.on(signal, leave);
  }
  const edits = new SavedEdits(bench);
  try {
    for (const mark of session.marks) {
      try {
        await addMark(bench, mark);
      } catch (thrown) {
        const error = toAmberError(thrown);
        bench.output.error(error);
        if (options.strict) {
          await bench.detachAll();
          return exitCodeOf(error.code);
        }
      }
    }
    const input = scriptInput(options.commands);
    if (input !== undefined) {
      const code = await runScript(bench, input, options.strict === true);
      return interrupted || code || session.codeOfFiles;
    }
    bench.isInteractive = true;
    await runInteractive(bench, {
      terminal: { input: process.stdin, output: process.stdout },
      local,
      suspension,
    });
    return interrupted || session.codeOfFiles;
  } finally {
    edits.end();
    for (const signal of signals) {
      process.off(signal, leave);
    }
    session.close();
  }
}

/** Where commands are read from when not typed at a terminal. */
function scriptInput(commands: string | undefined): Readable | undefined {
  if (commands !== undefined) {
    return createReadStream(commands).on('error', () => undefined);
  }
  return process.stdin.isTTY ? undefined : process.stdin;
}
