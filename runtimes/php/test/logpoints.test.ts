import { parseLog, parseMark } from '../../../src/core/marks/grammar.js';
import type { Mark } from '../../../src/core/marks/store.js';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { attachToPhp, describePhp, PhpFpm, PhpServer } from '../../../test/support/php.js';

const PROGRAM = `<?php
namespace Slips;

set_error_handler(function (int $level, string $text): bool {
    echo "[$text]";
    return true;
});

final class Slip
{
    private string $cardNumber = '4711';

    public function weigh(int $number, string $kind): int
    {
        $weight = $number * 14;
        return $weight;
    }
}

function double(int $number): int
{
    return $number * 2;
}

$slip = new Slip();
$sum = 0;
for ($i = 1; $i <= (int) ($_GET['passes'] ?? 3); $i++) {
    $sum += $slip->weigh($i, 'luggage');
}
$found = array_filter([1, 2, 3], fn(int $n): bool => $n > 1);
echo $sum, count($found);
`;

describePhp('logpoints and counters in PHP', ['cli'], () => {
  const runFolder = useRunFolder();
  let server: PhpServer;
  let attached: Attached;
  let told: HitCollector;
  beforeAll(async () => {
    server = await PhpServer.start({ 'index.php': PROGRAM });
  });
  const attach = async (args: Record<string, unknown> = {}) => {
    attached = await attachToPhp(runFolder(), server.pid, args);
    told = new HitCollector(attached);
  };
  afterEach(() => attached.session.detach());
  const at = (text: string) => `index.php:${server.lineOf(text)}`;
  /** A request tells its counts when it ends, which may be after its answer. */
  const counted = async (mark: Mark, hits: number) => {
    do {
      await new Promise((done) => setTimeout(done, 5));
      await attached.sync.refresh();
    } while (attached.sync.status(mark).hits < hits);
    return attached.sync.status(mark);
  };
  const texts = () => told.hits.map(({ text }) => text);

  it('tell values of every kind with their request, and the answer is as without them', async () => {
    const bare = await server.get();
    await attach();
    await told.set(
      'log',
      `${at('return $weight')} "{$number} of {$kind}: {$weight} {double($weight)} {$this}"`,
      server.path(),
    );
    expect(
      await server.get('/?passes=2', {
        headers: { traceparent: `00-${'a'.repeat(32)}-${'b'.repeat(16)}-01` },
      }),
    ).toBe('422');
    const [first, second] = await told.until(2);
    expect(texts()).toEqual([
      '1 of luggage: 14 28 Slips\\Slip {cardNumber: •••}',
      '2 of luggage: 28 56 Slips\\Slip {cardNumber: •••}',
    ]);
    expect(first?.values.map(({ type }) => type)).toEqual(['int', 'string', 'int', 'int', 'Slips\\Slip']);
    expect(first?.request).toMatchObject({
      method: 'GET',
      target: '/?passes=2',
      traceparent: expect.stringContaining('aaaa'),
    });
    expect(second?.time).toBeGreaterThan(first?.time ?? Number.POSITIVE_INFINITY);
    expect(await server.get()).toBe(bare);
  });

  it('count and tell by condition and hit rule, over all requests', async () => {
    await attach();
    const third = await told.set(
      'log',
      `${at('return $weight')} "third {$number}" hits every 3`,
      server.path(),
    );
    const fifth = await told.set('log', `${at('$sum +=')} "fifth {$i}" hits 5`, server.path());
    await told.set('log', `${at('return $weight')} "again {$number}" hits 2 in request`, server.path());
    const counter = await told.set('count', `${at('return $weight')} when $number > 1`, server.path());
    for (let request = 0; request < 3; request += 1) {
      await server.get('/?passes=2');
    }
    await told.until(6);
    expect(texts().sort()).toEqual(['again 2', 'again 2', 'again 2', 'fifth 1', 'third 1', 'third 2']);
    expect(await counted(counter, 3)).toMatchObject({ hits: 3, errors: 0, route: 'spliced' });
    expect(attached.sync.status(third)).toMatchObject({ hits: 2 });
    expect(attached.sync.status(fifth)).toMatchObject({ hits: 1 });
  });

  it('stops at the pass that a rule names, whichever request makes it', async () => {
    await attach();
    attached.store.add(parseMark(`${at('return $weight')} hits 4`), server.path());
    await attached.sync.send();
    expect(await server.get('/?passes=2')).toBe('422');
    const answer = server.get('/?passes=2');
    const stop = await attached.stop();
    expect(stop.request?.target).toBe('/?passes=2');
    await stop.resume();
    expect(await answer).toBe('422');
  });

  it('tell the error of an expression, and neither stop the program nor reach its handlers', async () => {
    const bare = await server.get();
    await attach();
    const missing = await told.set('log', `${at('return $weight')} "{$nothing}"`, server.path());
    const thrown = await told.set('log', `${at('$sum +=')} "{intdiv(1, 0)}"`, server.path());
    const condition = await told.set('count', `${at('return $weight')} when $nix->x > 1`, server.path());
    expect(await server.get()).toBe(bare);
    await told.until(6);
    expect(new Set(texts())).toEqual(
      new Set(['Undefined variable $nothing', 'DivisionByZeroError: Division by zero']),
    );
    await attached.sync.refresh();
    expect(attached.sync.status(missing)).toMatchObject({
      errors: 3,
      firstError: 'Undefined variable $nothing',
    });
    expect(attached.sync.status(thrown)).toMatchObject({ errors: 3 });
    expect(attached.sync.status(condition).errors).toBeGreaterThanOrEqual(3);
    expect(attached.sync.status(condition).hits).toBe(0);
  });

  it('work in arrow functions and the heads of loops, more slowly', async () => {
    await attach();
    const mark = await told.set('log', `${at('fn(int $n)')} "{count([1])}"`, server.path());
    expect(attached.sync.status(mark).route).toBe('spliced');
    server.write(
      'arrow.php',
      '<?php\n$all = array_map(\n    fn(int $n): int =>\n        $n * 2,\n    [1, 2],\n);\n$i = 0;\nwhile ($i < 2) { $i++; }\necho $all[1];\n',
    );
    const arrow = await told.set('log', 'arrow.php:4 "n {$n}"', server.path('arrow.php'));
    const loop = await told.set('log', 'arrow.php:8 "i {$i}" when $i > 0', server.path('arrow.php'));
    expect(attached.sync.status(arrow)).toMatchObject({
      route: 'engine',
      note: expect.stringContaining('compiled at each pass'),
    });
    expect(await server.get('/arrow.php')).toBe('4');
    await told.until(4);
    expect(texts()).toEqual(['n 1', 'n 2', 'i 1', 'i 2']);
    expect(attached.sync.status(loop).state).toBe('on');
  });

  it('keep to their limits and count what they leave out', async () => {
    await attach();
    attached.store.limits = { perSecond: 50, bytes: 10 };
    attached.store.add(
      parseLog(`${at('return $weight')} "{$number} {str_repeat('ä', 100)}"`),
      server.path(),
      'log',
    );
    await attached.sync.send();
    expect(await server.get('/?passes=500')).toMatch(/^\d+$/);
    await told.until(500);
    expect(told.hits.length).toBeGreaterThanOrEqual(50);
    expect(told.hits.length + told.dropped).toBe(500);
    expect(texts()[0]).toBe('1 äääää…');
  });

  it('hide what looks secret, unless asked not to', async () => {
    await attach({ veil: { names: ['kind'] } });
    await told.set(
      'log',
      `${at('return $weight')} "{$this->cardNumber} {$kind} {['token' => 1]}" hits 1`,
      server.path(),
    );
    await server.get();
    await told.until(1);
    expect(texts()).toEqual(["••• ••• ['token' => •••]"]);
    await attached.session.detach();
    await attach({ veil: { off: true } });
    await told.set('log', `${at('return $weight')} "{$this->cardNumber} {$kind}" hits 1`, server.path());
    await server.get();
    await told.until(1);
    expect(texts()).toEqual(['4711 luggage']);
  });

  it('reach functions by name in every file that has them', async () => {
    server.write(
      'more.php',
      '<?php\nfunction double(int $number) {\n    return $number;\n}\necho double(4);\n',
    );
    // A file that this version cannot compile, and that has the name too, is no reason to find none.
    server.write('newer.php', '<?php\nclass Doubled { public private(set) int $double = 2; }\n');
    await attach();
    const mark = await told.set('log', 'double "{$number}"', '');
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', note: '2 functions have this name' });
    await server.get('/more.php');
    await told.until(1);
    expect(texts()).toEqual(['4']);
  });
});

describePhp('hits of many requests at once', ['fpm'], () => {
  const runFolder = useRunFolder();

  it('belong each to its own', async () => {
    const fpm = await PhpFpm.start(
      { 'index.php': PROGRAM.replace("'luggage'", "$_SERVER['HTTP_X_ID'] ?? ''") },
      4,
    );
    const attached = await attachToPhp(runFolder(), fpm.pid);
    const told = new HitCollector(attached);
    const line = PROGRAM.split('\n').findIndex((text) => text.includes('return $weight')) + 1;
    await told.set('log', `index.php:${line} "{$kind}"`, fpm.path());
    const count = Number(process.env.AMBER_REQUESTS ?? 200);
    let next = 0;
    const client = async () => {
      for (let number = next++; number < count; number = next++) {
        await fpm.get(`/${number}?passes=2`, 'index.php', { HTTP_X_ID: `${number}` });
      }
    };
    await Promise.all(Array.from({ length: 8 }, client));
    await told.until(count * 2);
    const right = told.hits.filter(({ text, request }) => request?.target === `/${text}?passes=2`);
    expect(right.length).toBe(count * 2);
    await attached.session.detach();
  });
});
