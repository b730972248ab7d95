import type { AmberError } from '../../core/errors.js';
import { toAmberError } from '../render/output.js';
import { findCommand, onlyLooks, splitLine } from './command.js';
import { promptCommands } from './commands/index.js';
import type { Workbench } from './workbench.js';

/** Runs one line. An error is told and returned; nothing is thrown. Empty lines and `#` comments do nothing. */
export async function runLine(bench: Workbench, line: string): Promise<AmberError | undefined> {
  const { word, rest } = splitLine(line);
  if (word === '' || word.startsWith('#')) {
    return undefined;
  }
  bench.interruption = new AbortController();
  try {
    const command = findCommand(word, promptCommands);
    if (command.acts === true && bench.onlyLooks) {
      throw onlyLooks(command.name);
    }
    await command.run(bench, rest, promptCommands);
    return undefined;
  } catch (thrown) {
    const error = toAmberError(thrown);
    if (word === '=' || word === 'open') {
      const record = { kind: 'value' as const, expression: rest, error: error.message };
      if (error.code === 'AL_EVALUATE' && bench.output.json) {
        bench.output.tell(record, () => error.message);
        return error;
      }
    }
    bench.output.error(error);
    return error;
  }
}
