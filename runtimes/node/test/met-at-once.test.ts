import { parseMark } from '../../../src/core/marks/grammar.js';
import { useRunFolder } from '../../../test/support/attached.js';
import { NodeProgram } from '../../../test/support/node.js';

useRunFolder();

/** A program that meets its marks in the very turn in which they are put into it. */
const SOURCE = `let n = 0;
function quote(n) {
  const total = n * 2;
  return total;
}
setInterval(() => quote(n++), 1);
console.log('ready');
`;

it.each([true, false])(
  'a stop that comes before the answer of the engine is for the mark that was just set (live edit: %s)',
  async (liveEdit) => {
    const program = new NodeProgram(SOURCE);
    await program.line('ready');
    const attached = await program.attach({ liveEdit });
    const line = program.lineOf('return total');
    const seen: number[] = [];
    for (let round = 1; round <= 15; round += 1) {
      const mark = attached.store.add(parseMark(`app.js:${line} hits 1`), program.file);
      await attached.sync.send(mark);
      const stop = await attached.stop();
      seen.push(...attached.sync.marksOf(stop.event.hitBreakpointIds ?? []).map(({ number }) => number));
      await stop.resume();
      attached.store.drop(mark.number);
      await attached.sync.send(mark);
    }
    expect(seen).toEqual(Array.from({ length: 15 }, (_, index) => index + 1));
    await attached.session.detach();
  },
);
