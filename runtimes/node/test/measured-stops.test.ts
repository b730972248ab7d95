import { transformSync } from 'esbuild';
import { parseLog } from '../../../src/core/marks/grammar.js';
import type { Stop } from '../../../src/core/session/stop.js';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
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

/** From the stop that comes two lines on, the second in the caller. */
async function twoLinesOn(attached: Attached): Promise<Stop> {
  let stop = await attached.stop();
  const places: string[] = [];
  for (let step = 0; step < 2; step += 1) {
    const moved = await attached.step(stop, 'over');
    stop = moved.stop;
    places.push(moved.at);
  }
  expect(places).toEqual(['quote:3', '(anonymous):7']);
  return stop;
}

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
    const stop = await twoLinesOn(attached);
    expect(await whereIs(stop)).toBe('(anonymous):7');
    await stop.resume();
    expect(await program.line('21 ->')).toBe('21 -> 42');
    await attached.session.detach();
  } finally {
    await program.end();
  }
});

it('a step comes to the next source line where all of a function is one line of what was made from it', async () => {
  const source = SOURCE.replace('number)', 'number: number)');
  const { code, map } = transformSync(source, {
    loader: 'ts',
    minifyWhitespace: true,
    sourcemap: true,
    sourcefile: 'app.ts',
  });
  expect(code.trim().split('\n')).toHaveLength(1);
  const files = { 'app.ts': source, 'app.js.map': map, 'package.json': '{}' };
  const program = new NodeProgram(`${code}//# sourceMappingURL=app.js.map\n`, 'app.js', files);
  try {
    await program.line('ready');
    const attached = await program.attach({ liveEdit: false });
    const told = attached.store.add(parseLog('app.ts:3 "{total}"'), program.path('app.ts'), 'log');
    await attached.sync.send(told);
    expect(attached.sync.status(told)).toMatchObject({ state: 'on', route: 'engine' });
    await attached.mark(program.path('app.ts'), 2);
    program.say('21');
    const stop = await twoLinesOn(attached);
    await stop.resume();
    expect(await program.line('21 ->')).toBe('21 -> 42');
    await attached.session.detach();
  } finally {
    await program.end();
  }
});

it('a mark that was passed too often says so, also where another thread has not loaded its file', async () => {
  const idle = "new (require('node:worker_threads').Worker)('setInterval(() => {}, 1000)', { eval: true })";
  const program = new NodeProgram(`${idle};\n${SOURCE}`);
  try {
    await program.line('ready');
    const attached = await program.attach({ liveEdit: false });
    const told = attached.store.add(parseLog('app.js:4 "{total}"'), program.file, 'log');
    await attached.sync.send(told);
    expect(attached.sync.status(told)).toMatchObject({ state: 'on', route: 'engine' });
    const interrupted = new Promise((done) => attached.sync.once('interrupted', (_, status) => done(status)));
    const burst = Array.from({ length: 3_000 }, (_, number) => `${number}`).join('\n');
    program.say(burst);
    expect(await interrupted).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('was passed so often that the engine would take more than 5 %'),
    });
    await attached.session.detach();
  } finally {
    await program.end();
  }
});
