import { createHash } from 'node:crypto';
import { parseMark } from '../../../src/core/marks/grammar.js';
import type { Stop } from '../../../src/core/session/stop.js';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { attachToPhp, describePhp, PhpServer } from '../../../test/support/php.js';

const PROGRAM = `<?php
declare(strict_types=1);

namespace Ferry;

use InvalidArgumentException as Bad;

set_error_handler(function (int $level, string $text): bool {
    echo "[$text]";
    return true;
});

interface Priced
{
}

final class Trip implements Priced
{
    public string $boat = 'Merlin';
    protected array $legs = [];
    private int $berths = 4;
    public ?Trip $back = null;

    public function add(string $to, float $price): float
    {
        $tax = $price / 10;
        $this->legs[] = ['to' => $to, 'price' => $price + $tax];
        return $price + $tax;
    }

    public static function of(string $to): self
    {
        $trip = new self();
        $trip->add($to, 10.0);
        return $trip;
    }
}

function total(int $passengers, string $secretToken = 'hush'): float
{
    $sum = 0.0;
    for ($i = 0; $i < $passengers; $i++) {
        $sum += price($i);
    }
    return $sum;
}

function price(int $number): float
{
    if ($number > 7) {
        throw new Bad("no fare for $number");
    }
    return 5.5;
}

function cautious(int $number): string
{
    try {
        return (string) price($number);
    } catch (\\LogicException $error) {
        return 'free';
    }
}

function legs(): \\Generator
{
    foreach (['Innish', 'Holm'] as $to) {
        yield $to;
    }
}

$trip = Trip::of('Tarrin');
$words = array_map(fn(string $to): string => strtoupper($to), ['Holm']);
$total = total((int) ($_GET['passengers'] ?? 2));
echo cautious((int) ($_GET['number'] ?? 1)), ' ';
foreach (legs() as $leg) {
    echo $leg, ' ';
}
if (isset($_GET['warn'])) {
    echo $words['missing'];
}
if (isset($_GET['fail'])) {
    price(9);
}
echo $total;
`;

describePhp('a stopped request of PHP', ['cli'], () => {
  const runFolder = useRunFolder();
  let server: PhpServer;
  let attached: Attached;
  const answers: Promise<string>[] = [];
  const ask = (path: string, init?: RequestInit) => {
    const answer = server.get(path, init);
    answers.push(answer);
    return answer;
  };
  const mark = async (text: string, path?: string) => {
    const added = attached.store.add(parseMark(text), path);
    await attached.sync.send(added);
    return added;
  };
  const locals = async (stop: Stop, frame = 0, scope = 0) => {
    const frames = await stop.frames();
    const [...scopes] = await stop.scopes(frames[frame]?.id ?? 0);
    const variables = await stop.variables(scopes[scope]?.variablesReference ?? 0);
    return {
      name: scopes[scope]?.name,
      values: Object.fromEntries(variables.map((one) => [one.name, one.value])),
    };
  };
  const evaluate = async (stop: Stop, text: string, frame = 0) => {
    const frames = await stop.frames();
    return (await stop.evaluate(text, frames[frame]?.id, 'repl')).text;
  };

  beforeAll(async () => {
    server = await PhpServer.start({ 'index.php': PROGRAM });
  });
  beforeEach(async () => {
    attached = await attachToPhp(runFolder(), server.pid);
  });
  afterEach(async () => {
    await attached.session.detach();
    await Promise.allSettled(answers.splice(0));
  });

  it('stops where a condition holds, and answers as without us', async () => {
    const bare = await server.get('/?passengers=3');
    await attached.mark(server.path(), server.lineOf('$sum += price'), '$i === 1 && $passengers === 3');
    const other = await ask('/?passengers=2');
    const answer = ask('/?passengers=3');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`Ferry\\total:${server.lineOf('$sum += price')}`);
    expect(stop.request).toMatchObject({ method: 'GET', target: '/?passengers=3' });
    expect((await locals(stop)).values).toEqual({
      $passengers: '3',
      $secretToken: '•••',
      $sum: '5.5',
      $i: '1',
    });
    await stop.resume();
    expect(await answer).toBe(bare);
    expect(other).toContain('11');
  });

  it('shows the stack, arguments of callers, and says what of them is not to be had', async () => {
    await attached.mark(server.path(), server.lineOf('return 5.5'));
    void ask('/');
    const stop = await attached.stop();
    const frames = await stop.frames();
    expect(frames.map(({ name, line }) => `${name}:${line}`)).toEqual([
      `Ferry\\price:${server.lineOf('return 5.5')}`,
      `Ferry\\total:${server.lineOf('$sum += price')}`,
      `{main}:${server.lineOf('$total = total')}`,
    ]);
    const caller = await locals(stop, 1);
    expect(caller.name).toContain('no other locals of this frame are to be had');
    expect(caller.values).toEqual({ $passengers: '2' });
    expect((await locals(stop, 2)).values).toMatchObject({ $words: "['HOLM']" });
    expect(await evaluate(stop, '$passengers + 1', 1)).toBe('3');
    expect(await evaluate(stop, 'count($words)', 2)).toBe('1');
    await expect(evaluate(stop, '$sum', 1)).rejects.toThrow('Undefined variable $sum');
    const [, frame] = frames;
    await expect(stop.assign('$passengers', '9', frame?.id ?? 0)).rejects.toThrow('cannot be assigned');
  });

  it('evaluates and assigns in the frame, its class, its namespace and imports', async () => {
    await attached.mark(server.path(), server.lineOf('return $price + $tax'));
    void ask('/');
    const stop = await attached.stop();
    expect(await evaluate(stop, '$this->berths')).toBe('4');
    expect(await evaluate(stop, '$this instanceof Priced')).toBe('true');
    expect(await evaluate(stop, 'new Bad("x")')).toBe("InvalidArgumentException: 'x'");
    expect(await evaluate(stop, 'self::class')).toBe("'Ferry\\Trip'");
    expect(await evaluate(stop, 'price(1)')).toBe('5.5');
    await expect(evaluate(stop, '1 +')).rejects.toThrow('syntax error');
    await expect(evaluate(stop, 'price(8)')).rejects.toThrow('InvalidArgumentException: no fare for 8');
    await expect(evaluate(stop, 'exit(1)')).rejects.toThrow('exit would end the request');
    await expect(evaluate(stop, '$nothing')).rejects.toThrow('Undefined variable $nothing');
    await expect(evaluate(stop, '$nothing + 1')).rejects.toThrow('Undefined variable $nothing');
    expect(await evaluate(stop, '($nothing ?? 2) + 1')).toBe('3');
    const [frame] = await stop.frames();
    expect((await stop.assign('$price', '99.0', frame?.id ?? 0)).text).toBe('99.0');
    expect((await stop.assign('$this->berths', '$this->berths + 1', frame?.id ?? 0)).text).toBe('5');
    expect(await evaluate(stop, '[$price, $this->berths]')).toBe('[99.0, 5]');
    expect(await evaluate(stop, '$extra = 3; $price = 1.0')).toBe('null');
    expect(await evaluate(stop, '$extra . $price')).toBe("'31'");
  });

  it('opens what values hold, with what is private and protected', async () => {
    await attached.mark(server.path(), server.lineOf('return $price + $tax'));
    void ask('/');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    const value = await stop.evaluate('$this', frame?.id, 'repl');
    const members = await stop.variables(value.reference);
    expect(members.map(({ name, type, value: text }) => [name, type, text])).toEqual([
      ['boat', 'string', "'Merlin'"],
      ['legs', 'array, protected', "[['to' => 'Tarrin', 'price' => 11.0]]"],
      ['berths', 'int, private', '4'],
      ['back', 'null', 'null'],
    ]);
    const many = await stop.evaluate('range(1, 1000)', frame?.id, 'repl');
    expect(many.indexed).toBe(1000);
    const page = await stop.variables(many.reference, { start: 250, count: 3, filter: 'indexed' });
    expect(page.map(({ name, value: text }) => `${name}=${text}`)).toEqual(['250=251', '251=252', '252=253']);
    const keyed = await stop.evaluate('["a\\n\\"\\$x" => ["b" => 1], 5 => 2]', frame?.id, 'repl');
    const [odd] = await stop.variables(keyed.reference);
    expect((await stop.variables(odd?.variablesReference ?? 0)).map(({ name }) => name)).toEqual(['b']);
  });

  it('shows closures, generators, enums, resources, cycles and what is huge', async () => {
    await attached.mark(server.path(), server.lineOf('return 5.5'));
    void ask('/');
    const stop = await attached.stop();
    expect(await evaluate(stop, 'legs()')).toMatch(/^Generator \(Ferry\\legs at line \d+\)$/);
    expect(await evaluate(stop, 'fn(int $a) => $a')).toBe('function($a)');
    expect(await evaluate(stop, 'tmpfile()')).toMatch(/^resource #\d+ \(stream\)$/);
    expect(await evaluate(stop, '$r = new Trip(); $r->back = $r;')).toBe('null');
    expect(await evaluate(stop, '$r')).toMatch(/back: Ferry\\Trip \{the same again\}/);
    expect(await evaluate(stop, "new \\DateTime('2026-05-01T10:00:00Z')")).toBe(
      'DateTime 2026-05-01 10:00:00 +00:00',
    );
    expect(await evaluate(stop, "str_repeat('x', 50_000_000)")).toMatch(/^'x{10000}'… 50000000 bytes$/);
    expect(await evaluate(stop, "str_repeat('aä€😀', 5000)")).toMatch(/^'(aä€😀){2500}'… 50000 bytes$/u);
    expect(await evaluate(stop, '"\\xff\\x00ä"')).toBe('"\\xFF\\000\\xC3\\xA4"');
    expect(await evaluate(stop, '"a\\tb"')).toBe('"a\\tb"');
    const nameless = await stop.evaluate(
      'new class { public $a = 1; }',
      (await stop.frames())[0]?.id,
      'repl',
    );
    expect([nameless.text, nameless.type]).toEqual(['class@anonymous {a: 1}', 'class@anonymous']);
    expect(await evaluate(stop, "['password' => 'x', 'name' => 'Ada']")).toBe(
      "['password' => •••, 'name' => 'Ada']",
    );
  });

  it('steps over, into and out, and to the next request’s end', async () => {
    await attached.mark(server.path(), server.lineOf('$total = total'));
    const answer = ask('/?passengers=1');
    let stop = await attached.stop();
    let at: string;
    ({ stop, at } = await attached.step(stop, 'into'));
    expect(at).toBe(`Ferry\\total:${server.lineOf('$sum = 0.0')}`);
    ({ stop, at } = await attached.step(stop, 'over'));
    expect(at).toBe(`Ferry\\total:${server.lineOf('for ($i = 0')}`);
    ({ stop, at } = await attached.step(stop, 'over'));
    ({ stop, at } = await attached.step(stop, 'over'));
    expect(at).toBe(`Ferry\\total:${server.lineOf('return $sum')}`);
    ({ stop, at } = await attached.step(stop, 'out'));
    expect(at).toBe(`{main}:${server.lineOf('echo cautious')}`);
    ({ stop, at } = await attached.step(stop, 'over'));
    ({ stop, at } = await attached.step(stop, 'over'));
    expect(at).toBe(`{main}:${server.lineOf("echo $leg, ' '")}`);
    await stop.resume();
    expect(await answer).toContain('5.5');
  });

  it('stops in functions and methods by name, and takes marks that come while it is stopped', async () => {
    await mark('Trip.add');
    void ask('/');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`Ferry\\Trip->add:${server.lineOf('$tax = $price')}`);
    await mark(`index.php:${server.lineOf('return 5.5')} when $number === 1`, server.path());
    await stop.resume();
    const late = await attached.stop();
    expect(await whereIs(late)).toBe(`Ferry\\price:${server.lineOf('return 5.5')}`);
    expect(await evaluate(late, '$number')).toBe('1');
    await late.resume();
  });

  it('stops at errors, caught or not, with the variables that are still there', async () => {
    const caught = await mark('error InvalidArgumentException');
    void ask('/?number=8');
    const stop = await attached.stop();
    expect(await stop.exceptionInfo()).toMatchObject({
      exceptionId: 'InvalidArgumentException',
      description: 'no fare for 8',
    });
    expect(await whereIs(stop)).toBe(`Ferry\\price:${server.lineOf('throw new Bad')}`);
    expect((await locals(stop)).values).toEqual({ $number: '8' });
    await stop.resume();
    await Promise.all(answers);
    attached.store.drop(caught.number);
    await attached.sync.send(caught);
    await mark('error uncaught');
    expect(await ask('/?number=8')).toContain('free');
    const answer = ask('/?fail');
    const uncaught = await attached.stop();
    expect(await whereIs(uncaught)).toBe(`Ferry\\price:${server.lineOf('throw new Bad')}`);
    await uncaught.resume();
    expect(await answer).not.toContain('InvalidArgumentException: no fare for 9 in amber');
  });

  it('stops at warnings, and the program’s own handler still has them', async () => {
    await mark('warning');
    const answer = ask('/?warn');
    const stop = await attached.stop();
    expect(await stop.exceptionInfo()).toMatchObject({
      exceptionId: 'warning',
      description: 'Undefined array key "missing"',
    });
    expect((await locals(stop)).values).toMatchObject({ $words: "['HOLM']" });
    await stop.resume();
    expect(await answer).toContain('[Undefined array key "missing"]');
  });

  it('stops at the first line of a request, shows what it carries and what it has answered', async () => {
    await mark('request POST /trips*');
    expect(await ask('/?passengers=1')).toContain('5.5');
    const answer = ask('/trips/7?passengers=1', {
      method: 'POST',
      body: new URLSearchParams({ name: 'Ada', pin: '1234' }),
      headers: { Cookie: 'visit=abc' },
    });
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`{main}:${server.lineOf('set_error_handler')}`);
    const request = await locals(stop, 0, 3);
    expect(request.name).toBe('Request');
    expect(request.values).toMatchObject({
      $_POST: "['name' => 'Ada', 'pin' => •••]",
      $_GET: "['passengers' => '1']",
    });
    expect(request.values.headers).toContain("'cookie' => •••");
    expect(JSON.stringify(request.values)).not.toMatch(/1234'|visit=abc/);
    const response = await stop.response();
    expect(response).toMatchObject({ status: 200, sent: false });
    expect(response.headers.join()).toContain('X-Powered-By');
    await stop.resume();
    expect(await answer).toContain('5.5');
  });

  it('completes names and members', async () => {
    await attached.mark(server.path(), server.lineOf('return $price + $tax'));
    void ask('/');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(await stop.completions('$pr', 4, frame?.id)).toEqual(['$price']);
    expect(await stop.completions('$this->b', 9, frame?.id)).toEqual(['boat', 'berths', 'back']);
  });

  it('stops once at a passing line, and at the next request when asked to pause', async () => {
    await attached.mark(server.path(), server.lineOf('$trip = Trip::of'));
    void ask('/');
    const stop = await attached.stop();
    await attached.sync.setPassing({ path: server.path(), line: server.lineOf('echo cautious') });
    await stop.resume();
    const passed = await attached.stop();
    expect(await whereIs(passed)).toBe(`{main}:${server.lineOf('echo cautious')}`);
    await attached.sync.setPassing(undefined);
    await attached.session.pause(0);
    await passed.resume();
    void ask('/');
    const first = await attached.stop();
    expect(first.event.reason).toBe('entry');
    expect(await whereIs(first)).toBe(`{main}:${server.lineOf('set_error_handler')}`);
  });

  it('says why a mark cannot be', async () => {
    const at = async (text: string) => {
      const added = await mark(text, server.path());
      return attached.sync.status(added);
    };
    const line = `index.php:${server.lineOf('$sum += price')}`;
    expect(await at(`${line} when $i = 2`)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('assigns'),
    });
    expect(await at(`${line} when $i ==`)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('not an expression'),
    });
    expect(await at(`${line} when 1); system("x"`)).toMatchObject({ state: 'waiting' });
    expect(await at(`${line} when $i // 1`)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('comment'),
    });
    expect(await at('index.php:9999')).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('no code'),
    });
    expect(await at(`index.php:${server.lineOf('interface Priced')}`)).toMatchObject({
      state: 'on',
      note: expect.stringContaining('has no code'),
    });
    expect(await at(`index.php:${server.lineOf('fn(string $to)')} when $to`)).toMatchObject({
      state: 'on',
      route: 'spliced',
    });
  });
});

describePhp('PHP code in a file whose path gives a number for a name', ['cli'], () => {
  const runFolder = useRunFolder();

  it('is stepped through as any other', async () => {
    const server = await PhpServer.start({ 'index.php': "<?php\nrequire $_GET['part'];\necho part(2);\n" });
    const names = Array.from({ length: 5_000 }, (_, number) => `part${number}.php`);
    const hashOf = (name: string) => createHash('sha1').update(server.path(name)).digest('hex');
    const name = names.find((candidate) => /^\d{10}/.test(hashOf(candidate))) ?? '';
    server.write(name, '<?php\nfunction part(int $n): int {\n    $twice = $n * 2;\n    return $twice;\n}\n');
    const attached = await attachToPhp(runFolder(), server.pid);
    await attached.mark(server.path(), 3);
    attached.store.add(parseMark('nowhere'));
    await attached.sync.send();
    const asked = server.get(`/?part=${name}`);
    const stop = await attached.stop();
    const into = await attached.step(stop, 'into');
    expect(into.at).toBe('part:3');
    const over = await attached.step(into.stop, 'over');
    expect(over.at).toBe('part:4');
    await over.stop.resume();
    expect(await asked).toBe('4');
    await attached.session.detach();
    await server.end();
  });
});
