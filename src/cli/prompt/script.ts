import { createInterface } from 'node:readline';
import type { Readable } from 'node:stream';
import { exitCodeOf } from '../../core/errors.js';
import { runLine } from './interpreter.js';
import type { Workbench } from './workbench.js';

/**
 * Runs commands from a file or a pipe, one a line, each echoed before its result; detaches at the end.
 * A script goes on after an error unless `strict`.
 * @returns the exit code: 1 when a `wait` failed, 4 when the target went away, under `strict` the first error's
 */
export async function runScript(bench: Workbench, input: Readable, strict: boolean): Promise<number> {
  let code = 0;
  const reader = createInterface({ input, crlfDelay: Number.POSITIVE_INFINITY });
  // Whoever holds the other end of the pipe may keep it open.
  bench.ending = (how) => {
    code = how === 'lost' || how === 'killed' ? exitCodeOf('AL_TARGET_GONE') : code;
    reader.close();
  };
  for await (const line of reader) {
    if (line.trim() === '') {
      continue;
    }
    bench.output.remark(bench.output.palette.faint(`amber> ${bench.veil.masked(line.trim())}`));
    const error = await runLine(bench, line);
    if (error?.code === 'AL_TARGET_GONE') {
      code = exitCodeOf(error.code);
      // Others may be there, or something that takes its place on the way.
      if (bench.isOver) {
        break;
      }
    }
    if (error?.code === 'AL_WAIT') {
      code = exitCodeOf(error.code);
    }
    if (error !== undefined && strict) {
      code = exitCodeOf(error.code);
      break;
    }
    if (bench.isOver) {
      break;
    }
  }
  await bench.detachAll();
  return code;
}
