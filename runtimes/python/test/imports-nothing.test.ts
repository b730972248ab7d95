import { attachTo, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** It has what the agent begins with, and says on request what it has besides. */
const SOURCE = `import sys
import amber_agent.server

def price(n):
    total = 0
    for each in range(n):
        total += each
    return total

made = compile('def made(n):\\n    return n + 1\\n', '<fares>', 'exec')
exec(made)
known = set(sys.modules)
print('ready', flush=True)
for line in sys.stdin:
    n = int(line)
    price(n)
    print('new', sorted(set(sys.modules) - known), flush=True)
`;

describe.each(typicalPythons())('a session with Python $version', ({ path }) => {
  it('imports nothing, since the program may fork at any moment', async () => {
    const program = new Program(path, SOURCE);
    await program.line('ready');
    const description = program.description(runFolder());
    if (description === undefined) {
      throw new Error(`it has not described itself: ${program.stderr}`);
    }
    const attached = await attachTo(description, { requests: true, output: true });
    const hits = new HitCollector(attached);
    const file = program.file;
    await hits.set('log', 'app.py:7 "{total} {each}" when n > 2', file);
    await hits.set('count', 'app.py:18', file);
    await hits.set('count', 'price', file);
    await hits.set('count', 'made', file);
    await hits.set('break', 'error ValueError', file);
    await hits.set('break', 'request GET /fares', file);
    await hits.set('break', 'app.py:8 when n == 4', file);
    attached.store.add({ place: { kind: 'line', file, line: 5 } }, file, 'follow');
    await attached.sync.send();
    program.say('4');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect((await stop.evaluate('total + 1', frame?.id ?? 0, 'repl')).text).toBe('7');
    const { stop: next } = await attached.step(stop, 'over');
    await next.resume();
    expect(await program.line('new')).toBe('new []');
    await attached.session.detach();
    expect(await program.ask('1')).toBe('new []');
  });
});
