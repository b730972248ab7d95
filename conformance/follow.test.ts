import { readFileSync } from 'node:fs';
import { z } from 'zod';
import type { Mark } from '../src/core/marks/store.js';
import type { Description } from '../src/targets/description.js';
import { type Attached, attachTo, useRunFolder } from '../test/support/attached.js';
import { HitCollector } from '../test/support/hits.js';
import { NodeProgram } from '../test/support/node.js';
import { attachToPhp, PhpServer, phpHas } from '../test/support/php.js';
import { endPrograms } from '../test/support/program.js';
import { Program, pythons } from '../test/support/python.js';
import { RubyProgram, rubyHas } from '../test/support/ruby.js';

/** A program that answers `quote(n)`, and what following it is to tell for 2: lines, and what changed before each. */
interface Followed {
  name: string;
  start(runFolder: string): Promise<{ file: string; attached: Attached; ask(n: number): Promise<string> }>;
  /** Where it is not always there. */
  test?: jest.It;
  expected: string[];
}

const PYTHON = `import sys
def quote(n):
    total = 0
    for i in range(n):
        step = i * 2
        total += step
    card_token = 'abc'
    return total
for line in sys.stdin:
    print(quote(int(line)), flush=True)
`;
const NODE = `const { createInterface } = require('node:readline');
function quote(n) {
  let total = 0;
  for (let i = 0; i < n; i += 1) {
    const step = i * 2;
    total += step;
  }
  const cardToken = 'abc';
  return total;
}
createInterface({ input: process.stdin }).on('line', (line) => console.log(String(quote(Number(line)))));
`;
const RUBY = `$stdout.sync = true
def quote(n)
  total = 0
  n.times do |i|
    step = i * 2
    total += step
  end
  card_token = 'abc'
  total
end
$stdin.each_line { |line| puts quote(line.to_i) }
`;
const PHP = `<?php
function quote(int $n): int
{
    $total = 0;
    for ($i = 0; $i < $n; $i++) {
        $step = $i * 2;
        $total += $step;
    }
    $cardToken = 'abc';
    return $total;
}
echo quote((int) $_GET['n']);
`;

const python =
  (path: string): Followed['start'] =>
  async (runFolder) => {
    const program = new Program(path, PYTHON);
    await program.ask('1');
    const attached = await attachTo(program.description(runFolder) as Description);
    return { file: program.file, attached, ask: (n) => program.ask(`${n}`) };
  };

const cases: Followed[] = [
  ...[pythons()[0], pythons().at(-1)].map((found) => ({
    name: `Python ${found?.version}`,
    start: python(found?.path ?? ''),
    expected: [
      'total = 0: n=2',
      'for i in range(n):: total=0',
      'step = i * 2: i=0',
      'total += step: step=0',
      'step = i * 2: i=1',
      'total += step: step=2',
      "card_token = 'abc': total=2",
      'return total: card_token=•••',
    ],
  })),
  {
    name: 'Node',
    start: async () => {
      const program = new NodeProgram(NODE);
      await program.ask('1');
      return { file: program.file, attached: await program.attach(), ask: (n) => program.ask(`${n}`) };
    },
    expected: [
      'let total = 0;: n=2',
      'for (let i = 0; i < n; i += 1) {: total=0',
      'const step = i * 2;: i=0',
      'total += step;: step=0',
      'const step = i * 2;: i=1',
      'total += step;: step=2',
      "const cardToken = 'abc';: total=2",
      'return total;: cardToken=•••',
    ],
  },
  {
    name: 'Ruby',
    test: rubyHas() ? it : it.skip,
    start: async (runFolder) => {
      const program = new RubyProgram(RUBY);
      await program.ask('1');
      const attached = await program.attach(runFolder);
      return { file: program.file, attached, ask: (n) => program.ask(`${n}`) };
    },
    expected: [
      'total = 0: n=2,total=nil,card_token=•••',
      'n.times do |i|: total=0',
      'step = i * 2: i=0,step=nil',
      'total += step: step=0',
      'step = i * 2: i=1,step=nil',
      'total += step: step=2',
      "card_token = 'abc': total=2",
      'total: card_token=•••',
    ],
  },
  {
    name: 'PHP',
    test: phpHas('cli') ? it : it.skip,
    start: async (runFolder) => {
      const server = await PhpServer.start({ 'index.php': PHP });
      const attached = await attachToPhp(runFolder, server.pid);
      return { file: server.path(), attached, ask: (n) => server.get(`/?n=${n}`) };
    },
    expected: [
      '$total = 0;: $n=2',
      'for ($i = 0; $i < $n; $i++) {: $total=0',
      '$step = $i * 2;: $i=0',
      '$total += $step;: $step=0',
      '$step = $i * 2;: $i=1',
      '$total += $step;: $step=2',
      "$cardToken = 'abc';: $total=2,$i=2",
      'return $total;: $cardToken=•••',
    ],
  },
];

const locationsSchema = z.object({ breakpoints: z.array(z.object({ line: z.number() })) });

describe.each(cases)('a function that is followed in $name', ({ test = it, start, expected }) => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  test('tells each line with what has changed since the line before, and each call apart', async () => {
    const { file, attached, ask } = await start(runFolder());
    expect(await ask(1)).toBe('0');
    const told = new HitCollector(attached);
    const named = attached.store.add({ place: { kind: 'function', name: 'quote' } }, undefined, 'count');
    await attached.sync.send();
    const [first, last] = attached.sync.status(named).extent ?? [0, 0];
    attached.store.drop(named.number);
    const args = { source: { path: file }, line: first, endLine: last };
    const { breakpoints } = await attached.session.client.request(
      'breakpointLocations',
      args,
      locationsSchema,
    );
    for (const { line } of breakpoints) {
      attached.store.add({ place: { kind: 'line', file, line } }, file, 'follow');
    }
    await attached.sync.send();
    const moved = attached.store.all.filter((mark) => attached.sync.status(mark).line !== placeLine(mark));
    for (const mark of moved) {
      attached.store.drop(mark.number);
    }
    await attached.sync.send();
    expect(await ask(2)).toBe('2');
    await told.until(expected.length);
    const lines = readFileSync(file, 'utf8').split('\n');
    const seen = told.hits.map((hit) => {
      const values = hit.values.map(({ expression, value }) => `${expression}=${value}`).join(',');
      return `${lines[placeLine(hit.mark) - 1]?.trim()}: ${values}`;
    });
    expect(seen).toEqual(expected);
    expect(new Set(told.hits.map(({ followed }) => followed?.frame)).size).toBe(1);
    expect(told.hits[0]?.followed?.name).toBe('quote');
    expect(await ask(0)).toBe('0');
    await told.until(expected.length + 4);
    const [again] = told.hits.slice(expected.length);
    // Where a request is a run of its own, calls are counted in it.
    const callOf = (hit: (typeof told.hits)[number] | undefined) => `${hit?.thread} ${hit?.followed?.frame}`;
    expect(callOf(again)).not.toBe(callOf(told.hits[0]));
    expect(again?.values).toContainEqual(expect.objectContaining({ value: '0' }));
    await attached.session.detach();
    expect(await ask(3)).toBe('6');
  });
});

function placeLine({ spec: { place } }: Mark): number {
  return place.kind === 'line' ? place.line : 0;
}
