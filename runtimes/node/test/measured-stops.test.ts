import { parseLog } from '../../../src/core/marks/grammar.js';
import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { NodeProgram } from '../../../test/support/node.js';

useRunFolder();

const SOURCE = `function quote(number) {
  const total = number * 2;
  return total;
}
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  const answer = quote(Number(line));
  console.log(line + ' -> ' + answer);
});
console.log('ready');
`;

it('a step is not lost at an engine’s breakpoint that is passed for the first time, and measured then', async () => {
  const program = new NodeProgram(SOURCE);
  try {
    await program.line('ready');
    const attached = await program.attach({ liveEdit: false });
    for (const line of [3, 7]) {
      const told = attached.store.add(parseLog(`app.js:${line} "{1 + 1}"`), program.file, 'log');
      await attached.sync.send(told);
      expect(attached.sync.status(told)).toMatchObject({ state: 'on', route: 'engine' });
    }
    const mark = await attached.mark(program.file, 2);
    expect(attached.sync.status(mark).state).toBe('on');
    program.say('21');
    let stop = await attached.stop();
    const places: string[] = [];
    for (let step = 0; step < 2; step += 1) {
      const moved = await attached.step(stop, 'over');
      stop = moved.stop;
      places.push(moved.at);
    }
    expect(places).toEqual(['quote:3', '(anonymous):7']);
    expect(await whereIs(stop)).toBe('(anonymous):7');
    await stop.resume();
    expect(await program.line('21 ->')).toBe('21 -> 42');
    await attached.session.detach();
  } finally {
    await program.end();
  }
});
