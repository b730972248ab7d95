import { readFileSync } from 'node:fs';
import { z } from 'zod';
import type { Mark } from '../src/core/marks/store.js';
import type { Hit } from '../src/core/marks/told.js';
import type { Description } from '../src/targets/description.js';
import { type Attached, attachTo, useRunFolder } from '../test/support/attached.js';
import { HitCollector } from '../test/support/hits.js';
import { NodeProgram } from '../test/support/node.js';
import { attachToPhp, PhpServer, phpHas } from '../test/support/php.js';
import { endPrograms } from '../test/support/program.js';
import { Program, pythons } from '../test/support/python.js';
import { RubyProgram, rubyHas } from '../test/support/ruby.js';
import { until } from '../test/support/until.js';

/**
 * A program that answers `quote(n)`, and what following it is to tell for 2: lines, and what changed before each; and another
 * one that adds n to what its till holds.
 */
interface Followed {
  name: string;
  source: string;
  till: string;
  /** Answers `n - 1` by a function that stands on the line that stores it. */
  line: string;
  start(
    source: string,
    runFolder: string,
  ): Promise<{ file: string; attached: Attached; ask(n: number): Promise<string> }>;
  /** Where it is not always there. */
  test?: jest.It;
  expected: string[];
  /** What is told of the till, line by line, for 4 and then for 3. */
  tills: string[];
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

const PYTHON_TILL = `import sys
class Till:
    def __init__(self):
        self.sum = 0
    def add(self, n):
        self.sum += n
        self.note()
        return self.sum
    def note(self):
        self.last = 1
till = Till()
for line in sys.stdin:
    print(till.add(int(line)), flush=True)
`;
const NODE_TILL = `const { createInterface } = require('node:readline');
class Kept {}
class Till extends Kept {
  constructor() {
    super();
    this.sum = 0;
    this.other = 'held';
  }
  add(n) {
    this.sum += n;
    this.note();
    return this.sum;
  }
  note() {
    this.last = 1;
  }
}
const till = new Till();
createInterface({ input: process.stdin }).on('line', (line) => console.log(String(till.add(Number(line)))));
`;
const RUBY_TILL = `$stdout.sync = true
class Till
  def initialize
    @sum = 0
  end
  def add(n)
    @sum += n
    note
    @sum
  end
  def note = @last = 1
end
TILL = Till.new
$stdin.each_line { |line| puts TILL.add(line.to_i) }
`;
const PHP_TILL = `<?php
class Kept
{
    protected int $sum = 0;
}
class Till extends Kept
{
    private int $last = 0;
    public string $other = 'held';
    public function add(int $n): int
    {
        $this->sum += $n;
        $this->note();
        return $this->sum;
    }
    private function note(): void
    {
        $this->last = 1;
    }
}
$till = new Till();
echo $till->add((int) $_GET['n']);
`;

const PYTHON_LINE = `import sys
low = lambda n: n - 1
for line in sys.stdin:
    print(low(int(line)), flush=True)
`;
const NODE_LINE = `const { createInterface } = require('node:readline');
const low = (n) => n - 1;
createInterface({ input: process.stdin }).on('line', (line) => console.log(String(low(Number(line)))));
`;
const RUBY_LINE = `$stdout.sync = true
LOW = ->(n) { n - 1 }
$stdin.each_line { |line| puts LOW.call(line.to_i) }
`;
const PHP_LINE = `<?php
$low = fn(int $n) => $n - 1;
echo $low((int) $_GET['n']);
`;

const python =
  (path: string): Followed['start'] =>
  async (source, runFolder) => {
    const program = new Program(path, source);
    await program.ask('1');
    const attached = await attachTo(program.description(runFolder) as Description);
    return { file: program.file, attached, ask: (n) => program.ask(`${n}`) };
  };

const cases: Followed[] = [
  ...[pythons()[0], pythons().at(-1)].map((found) => ({
    name: `Python ${found?.version}`,
    start: python(found?.path ?? ''),
    source: PYTHON,
    till: PYTHON_TILL,
    line: PYTHON_LINE,
    tills: [
      'self=<Till sum=1 last=1>,n=4',
      'self=<Till sum=5 last=1>',
      '',
      'self=<Till sum=5 last=1>,n=3',
      'self=<Till sum=8 last=1>',
      '',
    ],
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
    source: NODE,
    till: NODE_TILL,
    line: NODE_LINE,
    tills: ['n=4,this={sum: 1}', 'this={sum: 5}', '', 'n=3,this={sum: 5}', 'this={sum: 8}', ''],
    start: async (source) => {
      const program = new NodeProgram(source);
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
    source: RUBY,
    till: RUBY_TILL,
    line: RUBY_LINE,
    tills: ['n=4,@sum=1', '@sum=5', '', 'n=3,@sum=5', '@sum=8', ''],
    start: async (source, runFolder) => {
      const program = new RubyProgram(source);
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
    source: PHP,
    till: PHP_TILL,
    line: PHP_LINE,
    // Each request has a till of its own.
    tills: [
      "$n=4,$this=['sum' => 0]",
      "$this=['sum' => 4]",
      '',
      "$n=3,$this=['sum' => 0]",
      "$this=['sum' => 3]",
      '',
    ],
    start: async (source, runFolder) => {
      const server = await PhpServer.start({ 'index.php': source });
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

/** Follows every line of a function. */
async function followAll(attached: Attached, file: string, name: string): Promise<HitCollector> {
  const told = new HitCollector(attached);
  const named = attached.store.add({ place: { kind: 'function', name } }, undefined, 'count');
  await attached.sync.send();
  const [first, last] = attached.sync.status(named).extent ?? [0, 0];
  attached.store.drop(named.number);
  const args = { source: { path: file }, line: first, endLine: last };
  const { breakpoints } = await attached.session.client.request('breakpointLocations', args, locationsSchema);
  for (const { line } of breakpoints) {
    attached.store.add({ place: { kind: 'line', file, line } }, file, 'follow');
  }
  await attached.sync.send();
  for (const mark of attached.store.all.filter(
    (each) => attached.sync.status(each).line !== placeLine(each),
  )) {
    attached.store.drop(mark.number);
  }
  await attached.sync.send();
  return told;
}

const changesOf = ({ values }: Hit) =>
  values.map(({ expression, value }) => `${expression}=${value}`).join(',');

describe.each(cases)(
  'a function that is followed in $name',
  ({ test = it, source, till, line, start, expected, tills }) => {
    const runFolder = useRunFolder();
    afterEach(endPrograms);

    test('tells each line with what has changed since the line before, and each call apart', async () => {
      const { file, attached, ask } = await start(source, runFolder());
      expect(await ask(1)).toBe('0');
      const told = await followAll(attached, file, 'quote');
      expect(await ask(2)).toBe('2');
      await told.until(expected.length);
      const lines = readFileSync(file, 'utf8').split('\n');
      const seen = told.hits.map((hit) => `${lines[placeLine(hit.mark) - 1]?.trim()}: ${changesOf(hit)}`);
      expect(seen).toEqual(expected);
      expect(new Set(told.hits.map(({ followed }) => followed?.frame)).size).toBe(1);
      expect(told.hits[0]?.followed?.name).toBe('quote');
      expect(await ask(0)).toBe('0');
      await told.until(expected.length + 4);
      const [again] = told.hits.slice(expected.length);
      // Where a request is a run of its own, calls are counted in it.
      const callOf = (hit: (typeof told.hits)[number] | undefined) =>
        `${hit?.thread} ${hit?.followed?.frame}`;
      expect(callOf(again)).not.toBe(callOf(told.hits[0]));
      expect(again?.values).toContainEqual(expect.objectContaining({ value: '0' }));
      await attached.session.detach();
      expect(await ask(3)).toBe('6');
    });

    test('tells what it names of its own object, and that again when it has changed', async () => {
      const { file, attached, ask } = await start(till, runFolder());
      const told = await followAll(attached, file, 'Till.add');
      const first = Number(await ask(4));
      await ask(3);
      await told.until(tills.length);
      expect(told.hits.map((hit) => changesOf(hit))).toEqual(tills);
      await attached.session.detach();
      expect(Number(await ask(2))).toBeLessThanOrEqual(first + 3 + 2);
    });

    test('tells each call of a function that stands on the line that stores it', async () => {
      const { file, attached, ask } = await start(line, runFolder());
      const told = new HitCollector(attached);
      const mark = attached.store.add({ place: { kind: 'line', file, line: 2 } }, file, 'follow');
      await attached.sync.send();
      expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: 2 });
      expect(await ask(3)).toBe('2');
      expect(await ask(5)).toBe('4');
      const calls = () => told.hits.filter((hit) => /^\$?n=/.test(changesOf(hit)));
      await until(() => calls().length === 2);
      expect(calls().map((hit) => changesOf(hit).replace('$', ''))).toEqual(['n=3', 'n=5']);
      expect(new Set(calls().map(({ thread, followed }) => `${thread} ${followed?.frame}`)).size).toBe(2);
      await attached.session.detach();
      expect(await ask(4)).toBe('3');
    });
  },
);

function placeLine({ spec: { place } }: Mark): number {
  return place.kind === 'line' ? place.line : 0;
}
