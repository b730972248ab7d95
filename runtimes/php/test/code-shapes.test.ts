import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseMark } from '../../../src/core/marks/grammar.js';
import { logEverywhere, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { attachToPhp, describePhp, PhpServer } from '../../../test/support/php.js';

/** Files of PHP in shapes that real code has; each prints what would change if a probe changed anything. */
const SHAPES: Record<string, string> = {
  'control.php': `<?php
function f($n) {
    if ($n > 3) return 'big'; elseif ($n === 3) return 'three'; else return 'small';
}
for ($i = 0, $j = 5; $i < 3; $i++, $j--) echo f($i + $j), ' ';
$i = 0;
while ($i < 2) $i++;
do { $i--; } while ($i > 0);
do $i++; while ($i < 2);
foreach ([1, 2] as $k => $v): echo "$k$v"; endforeach;
for (;;) { if ($i++ > 5) break; else continue; }
switch ($i) { case 1: case 7: echo 'seven'; break; default: echo 'other'; }
switch ($i): case 7: echo '!'; endswitch;
while ($i > 0): $i -= 3; endwhile;
if ($i): echo 'rest'; elseif (!$i): echo 'none'; else: echo 'x'; endif;
$n = 0;
again:
$n++;
if ($n < 3) goto again;
echo $n, __LINE__, basename(__FILE__);
if ($n) ; else echo 'never';
if ($n) { } else { }
{ echo 'block'; }
;
`,
  'html.php': `<h1>Office</h1>
<?php if (true): ?>
  <p><?= 'short', '!' ?></p>
<?php else: ?>
  <p>never</p>
<?php endif ?>
<?php foreach ([1, 2] as $n) { ?><i><?= $n ?></i><?php } ?>
<?php for ($i = 0; $i < 2; $i++) echo $i ?>

<?php if (false) ?>
text after
<?php echo <<<HTML
  <b>{$n} \${n} {$_SERVER['REQUEST_METHOD']}</b> } ) ]
  HTML;
echo "{$n}[0]) $x };", 'a;b}', <<<'RAW'
) { raw
RAW;
`,
  'functions.php': `<?php
declare(strict_types=1);
namespace Ferry\\Office;
use ArrayIterator as It;
use function strtoupper as upper;
use const PHP_VERSION_ID as VERSION;
#[\\Attribute(\\Attribute::TARGET_ALL)]
final class Mark { public function __construct(public string $name = 'm') {} }
interface Boards { const SEATS = 4; public function board(int ...$n): static; }
abstract class Vessel implements Boards {
    public static int $made = 0;
    protected ?self $tow = null, $other;
    public function __construct(protected string $name, private array $log = ['x' => [1]]) { static::$made++; }
    public function board(int ...$n): static { foreach ($n as $one) $this->log[] = $one; return $this; }
    abstract protected function speed(): float;
    public function &log(): array { return $this->log; }
    public function __get(string $n) { return "magic $n"; }
    public static function __callStatic($n, $a) { return $n . count($a); }
}
trait Loud { private int $volume = 1; public function horn(): string { static $n = 0; return str_repeat('!', ++$n) . self::class; } }
#[Mark('ferry')]
class Ferry extends Vessel {
    use Loud { horn as protected loudHorn; horn as public; }
    protected function speed(): float { return match (true) { $this->name === 'a', $this->name === 'b' => 1.5, default => 2.5 }; }
    public function each(): \\Generator { $got = yield 1 => 'one'; echo "[$got]"; yield from [2 => 'two']; return 3; }
    public function make(): object { return new class($this->speed()) { public function __construct(public readonly float $s) {} }; }
}
function &refs(array &$a) { $a[] = 1; return $a; }
$ferry = new Ferry('a');
echo count($ferry->board(1, 2)->log()), $ferry->horn(), $ferry->horn(), $ferry->anything, Ferry::what(1, 2), Vessel::$made;
$g = $ferry->each();
foreach ($g as $k => $v) { echo "$k$v"; if ($k === 1) echo $g->send('sent'); }
echo $g->getReturn(), $ferry->make()->s, upper('x'), VERSION > 80000;
$list = [3, 1, 2];
usort($list, static fn(int $a, int $b): int => $a <=> $b);
$add = fn($x) => fn($y) => $x + $y;
$by = 2;
$closure = function (int $x) use (&$by, $add): int { $by++; return $add($x)($by); };
echo implode(',', $list), $closure(1), $by;
$arr = [];
$r = &refs($arr);
$r[] = 2;
echo count($arr), ($x ?? 'unset'), $ferry?->horn();
echo (fn() => yield 5)()->current(), (function () { return func_get_args(); })(1, 2)[1];
[$a, ['k' => $b]] = [1, ['k' => 2]];
['q' => $q] = ['q' => fn() => 1];
echo $a, $b, $q();
echo match (true) { default => (function () { return __FUNCTION__; })() };
try { echo intdiv(1, 0); } catch (\\DivisionByZeroError | \\TypeError) { echo 'caught'; } finally { echo 'finally'; }
function thrower(): never { throw new \\LogicException('logic', 7, new \\Exception('inner')); }
try { thrower(); } catch (\\Exception $e) { echo $e->getLine(), $e->getTrace()[0]['line'], count($e->getTrace()), $e->getPrevious()->getMessage(); }
function tail() { try { return 'try'; } finally { echo 'in finally '; } }
echo tail(), (new \\ReflectionFunction('Ferry\\Office\\tail'))->getEndLine();
$v = $x ?? throw_it(...) ;
function throw_it() { return 1; }
echo gettype($v), \\Ferry\\Office\\throw_it(), namespace\\throw_it();
echo json_encode(array_map(null, [1], ['a'])), $list[0] ? 'yes' : 'no', true ? 'a' : (false ? 'b' : 'c');
const AFTER = 5; define('Ferry\\Office\\LATER', AFTER + 1); echo AFTER, LATER;
enum Suit: string { case Hearts = 'H'; case Spades = 'S'; const Wild = self::Spades; public function label(): string { return ucfirst(strtolower($this->name)); } public static function any(): self { return self::Hearts; } }
echo Suit::from('S')->label(), Suit::any()->value, Suit::Wild->name;
unset($list[0]); list(, $two) = [1, 2]; global $ferry; static $s = 4; echo $two, $s, isset($ferry, $list[1]);
echo (include 'returns.php') + 1, require_once 'returns.php', require_once 'returns.php';
if (!function_exists('Ferry\\Office\\late')) { function late() { return 'late'; } } echo late();
return 1;
`,
  'returns.php': '<?php\nreturn 40 + strlen(basename(__DIR__)) * 0;\n',
  'data.php': `<?php
$file = fopen(__FILE__, 'r');
fseek($file, __COMPILER_HALT_OFFSET__);
echo trim(stream_get_contents($file)), __LINE__;
__halt_compiler();
raw <?php if ( { data
`,
  'bom.php': '\uFEFF<?php\necho "bom", __LINE__;\n',
  'ticks.php': '<?php\ndeclare(ticks=1) { $a = 1; $b = 2; }\ndeclare(ticks=1);\necho $a + $b;\n',
  'handlers.php': `<?php
function own($level, $text) { echo "<$text>"; return true; }
echo var_export(set_error_handler('own'), true);
echo $undefined;
echo is_callable(set_error_handler(fn() => false)) ? 'own' : 'none';
restore_error_handler();
echo [][0] ?? 'none', @$other['x'];
set_exception_handler(function ($e) { echo 'uncaught ', $e->getMessage(); });
$old = error_reporting(0); echo $third; error_reporting($old);
trigger_error('told', E_USER_NOTICE);
echo file_exists(__FILE__) ? 'file' : '', is_writable(__FILE__) ? 'w' : '', count(stream_get_wrappers()) > 3;
echo @include 'missing.php';
echo (static function () { return isset($this) ? 'this' : 'no this'; })();
throw new RuntimeException('the end');
`,
};

describePhp('code of every shape', ['cli'], () => {
  const runFolder = useRunFolder();

  it('does with probes in all of it what it does without', async () => {
    const server = await PhpServer.start(SHAPES);
    const names = Object.keys(SHAPES).filter((name) => name !== 'returns.php');
    const bare: string[] = [];
    for (const name of names) {
      bare.push(await server.get(`/${name}`));
    }
    const errors = server.stderr.match(/PHP [A-Z][\w ]+: .*/g) ?? [];
    const from = server.stderr.length;
    const attached = await attachToPhp(runFolder(), server.pid);
    const files = Object.keys(SHAPES).map((name) => server.path(name));
    for (const file of files) {
      attached.store.add(parseMark(`${file}:1 when false`), file);
    }
    attached.store.add(parseMark('error OutOfRangeException'));
    await logEverywhere(attached, files, '{1 + 1} {isset($this)} {__FUNCTION__}');
    const probed: string[] = [];
    for (const name of names) {
      probed.push(await server.get(`/${name}`));
    }
    for (const [index, name] of names.entries()) {
      expect(`${name}: ${probed[index]}`).toBe(`${name}: ${bare[index]}`);
    }
    expect(server.stderr.slice(from).match(/PHP [A-Z][\w ]+: .*/g) ?? []).toEqual(errors);
    // A request tells its counts when it ends, which may be after its answer.
    let hits = 0;
    while (hits <= 100) {
      await new Promise((done) => setTimeout(done, 5));
      await attached.sync.refresh();
      hits = attached.store.all.reduce((sum, mark) => sum + attached.sync.status(mark).hits, 0);
    }
    await attached.session.detach();
  });
});

describePhp('a file with a byte order mark, and output before headers', ['cli'], () => {
  const runFolder = useRunFolder();

  it('are answered byte for byte as without us, warnings included', async () => {
    const text = `\uFEFF<?php
set_error_handler(function (int $level, string $text): bool {
    echo "[$text]";
    return true;
});
echo str_repeat('x', 5000);
flush();
header('X-Late: 1');
$total = 2;
echo $total;
`;
    const server = await PhpServer.start({ 'index.php': text });
    const bytes = async () =>
      Buffer.from(await (await fetch(server.url, { headers: { Connection: 'close' } })).arrayBuffer());
    const bare = await bytes();
    expect(bare.subarray(0, 3)).toEqual(Buffer.from('\uFEFF'));
    expect(bare.toString()).toContain('headers already sent');
    const attached = await attachToPhp(runFolder(), server.pid);
    const told = new HitCollector(attached);
    await told.set('log', 'index.php:10 "{$total}"', server.path());
    expect(await bytes()).toEqual(bare);
    const [hit] = await told.until(1);
    expect(hit?.text).toBe('2');
    await attached.session.detach();
    expect(await bytes()).toEqual(bare);
  });
});

describePhp('functions on one line', ['cli'], () => {
  const SOURCE = [
    '<?php',
    'function low($n) { return $n - 1; }',
    '$plus = fn($one) => fn($two) => $one + $two;',
    '$least = function (array $all) { usort($all, fn($one, $two) => $one - $two); return $all[0]; };',
    '$app->get("/berths", fn($request) => $request);',
    'class Desk { function quote($n) { $times = fn($fee) => $fee * $n; return array_map(fn($one) => $one, [$n]); } }',
  ].join('\n');
  const CLASSES = ['Cursor', 'Expressions', 'Declarations', 'Rewriter', 'Outline'];
  const agent = resolve(__dirname, '..', 'agent', 'amber_agent');

  it.each([
    [2, [], ['s in low']],
    [3, [], ['s in ', 'a in {closure}', 'a in {closure}']],
    [3, ['$two > 1'], ['a in {closure}']],
    [4, [], ['s in ', 's in {closure}']],
    [5, [], ['s in ', 'a in {closure}']],
    [5, ['"{$request->id}"'], ['a in {closure}']],
    [6, [], ['s in Desk::quote', 'a in {closure}']],
    [6, ['$this->request'], ['s in Desk::quote', 'a in {closure}']],
  ] as const)('line %i with %j has its points', (line, expressions, expected) => {
    const script = `
      ${CLASSES.map((name) => `require '${agent}/${name}.php';`).join(' ')}
      [$source, $line, $expressions] = json_decode(stream_get_contents(STDIN), true);
      $outline = AmberLantern\\Rewriter::outline($source);
      echo json_encode(array_map(
        fn($point) => $outline->points[$point][0] . ' in ' . $outline->functionAt($point), $outline->pointsFor($line, $expressions)));`;
    const input = JSON.stringify([SOURCE, line, expressions]);
    expect(JSON.parse(execFileSync('php', ['-r', script], { input, encoding: 'utf8' }))).toEqual(expected);
  });
});

describePhp('real files', ['cli'], () => {
  it('of a template engine and of our own compile with everything in them, on the same lines', () => {
    const folders = ['/usr/share/php/Twig', resolve(__dirname, '..', 'agent')];
    const files = folders.filter((folder) => existsSync(folder)).flatMap(phpFiles);
    const script = resolve(__dirname, '..', '..', '..', 'bench', 'php', 'corpus.php');
    const report = execFileSync('php', ['-d', 'opcache.enable_cli=1', script], {
      input: files.join('\n'),
      encoding: 'utf8',
    });
    expect(report).toContain(`"files":${files.length}`);
    expect(JSON.parse(report)).toMatchObject({ files: files.length, failures: [] });
    expect(files.length).toBeGreaterThan(process.env.CI ? 100 : 20);
  });
});

function phpFiles(folder: string): string[] {
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.php'))
    .map((name) => join(folder, name));
}
