// What a session costs a large program under php-fpm with opcache on, 4 workers behind nginx, 8 clients: attached with
// nothing marked, with a logpoint in one file, and with a breakpoint that is never true, each beside bare in the same run.
//   node bench/php/large.mjs [--files 400] [--seconds 6]
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { pause } from '../faults/served.mjs';
import { answered, besideBare, load, serveFpm } from './fpm.mjs';

const { values: options } = parseArgs({
  options: { files: { type: 'string', default: '400' }, seconds: { type: 'string', default: '6' } },
});
const FILES = Number(options.files);
const SECONDS = Number(options.seconds);
/** Files that a group file includes. */
const GROUP = 20;

/** A file of some 120 lines, with functions and a class. */
function part(number) {
  const functions = Array.from(
    { length: 8 },
    (_, one) => `/** Fare ${one} of boat ${number}. */
function boat_${number}_fare_${one}(int $miles, array $guests): int {
    $total = $miles * ${one + 1};
    foreach ($guests as $guest => $age) {
        if ($age < 3) {
            continue;
        } elseif ($age < 16) {
            $total += intdiv($miles, 2);
        } else {
            $total += $miles;
        }
    }
    $rebate = count($guests) > 4 ? 10 : 0;
    return $total - intdiv($total * $rebate, 100);
}
`,
  );
  return `<?php
${functions.join('')}
class Boat${number} {
    private array $seats = [];
    public function __construct(private string $name, private int $size = ${number}) {
    }
    public function book(string $guest): bool {
        if (count($this->seats) >= $this->size) {
            return false;
        }
        $this->seats[] = $guest;
        return true;
    }
    public function text(): string {
        $names = implode(', ', $this->seats);
        return "$this->name: $names";
    }
}
`;
}

function files() {
  const found = {};
  const groups = [];
  for (let number = 0; number < FILES; number += 1) {
    found[`parts/boat${number}.php`] = part(number);
  }
  for (let first = 0; first < FILES; first += GROUP) {
    const names = Array.from(
      { length: Math.min(GROUP, FILES - first) },
      (_, one) => `parts/boat${first + one}.php`,
    );
    found[`group${first}.php`] =
      `<?php\n${names.map((name) => `require_once __DIR__ . '/${name}';`).join('\n')}\n`;
    groups.push(`require __DIR__ . '/group${first}.php';`);
  }
  found['page.php'] = `<?php
function page(int $number): string {
    $total = 0;
    for ($one = 0; $one < 40; $one += 1) {
        $fare = "boat_{$one}_fare_3";
        $total += $fare($number, ['a' => 40, 'b' => 7, 'c' => 1]);
    }
    $boat = new Boat7('Sandpiper');
    $boat->book("guest $number");
    return $boat->text() . ' ' . $total;
}
`;
  found['index.php'] =
    `<?php\n${groups.join('\n')}\nrequire __DIR__ . '/page.php';\necho page((int) $_SERVER['QUERY_STRING']);\n`;
  return found;
}

const service = await serveFpm({
  name: 'large',
  write(site) {
    mkdirSync(join(site, 'parts'));
    for (const [name, text] of Object.entries(files())) writeFileSync(join(site, name), text);
  },
  location: (site) => `fastcgi_param SCRIPT_FILENAME ${site}/index.php;`,
});
const { port, site } = service;
while (!(await answered(port, '/?1')).startsWith('Sandpiper')) await pause(100);
const expected = new Map();
for (let number = 0; number < 50; number += 1)
  expected.set(`/?${number}`, await answered(port, `/?${number}`));
await load(port, expected, SECONDS);

const page = join(site, 'page.php');
const SESSIONS = {
  'attached, nothing marked': [],
  'a logpoint in one file': ['--log', `${page}:9 "{$total} of {$number}"`],
  'a counter in one file': ['--count', `${page}:9`],
  'a logpoint by function': ['--log', 'Boat7.text "{count($this->seats)}"'],
  'a breakpoint that is never true': ['--break', `${page}:9 when $total < 0`],
};
for (const [name, marks] of Object.entries(SESSIONS)) {
  const { bare, watched, after, hits } = await besideBare(service, expected, marks, SECONDS);
  const ms = ({ median, p99 }) => `${median.toFixed(1)} ms, 99 % ${p99.toFixed(1)}`;
  console.log(
    `${name.padEnd(34)} ${(watched.median / bare.median).toFixed(2)}x a page (${ms(watched)}; bare ${ms(bare)}), rate ${(watched.rate / bare.rate).toFixed(2)}x of ${bare.rate.toFixed(0)}, wrong ${watched.wrong + bare.wrong + after.wrong} ${hits}`,
  );
}
await service.stop();
process.exit(0);
