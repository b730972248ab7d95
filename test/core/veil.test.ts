import { execFileSync, spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import fc from 'fast-check';
import { Veil } from '../../src/core/veil.js';

const NAMES = [
  'password',
  'userPassword',
  'api_key',
  'apiKey',
  'Authorization',
  'Set-Cookie',
  'card',
  'card_number',
  'pin',
  'sessionId',
  'kestrel',
];
const OTHERS = ['passengers', 'discard', 'cardinal', 'spin', 'name', 'total', 'secretary'.slice(0, 3)];

it('hides what is stored under names that look secret, and under those of the project', () => {
  const veil = new Veil({ names: ['kestrel'] });
  expect(NAMES.filter((name) => !veil.hides(name))).toEqual([]);
  expect(OTHERS.filter((name) => veil.hides(name))).toEqual([]);
  expect(new Veil({ off: true }).hides('password')).toBe(false);
});

it.each([
  ['user.password', true],
  ['d["token"]', true],
  ['password', true],
  ['password.length', false],
  ['len(token)', false],
  ['order.total', false],
])('%s as an expression: %s', (text, hidden) => expect(new Veil().hidesExpression(text)).toBe(hidden));

const ROOT = resolve(__dirname, '..', '..');
const { vectors } = JSON.parse(readFileSync(resolve(ROOT, 'contract/veil.json'), 'utf8')) as {
  vectors: { hidden: [string, string][]; shown: string[] };
};
const ASKED = {
  names: [...NAMES, ...OTHERS],
  texts: [...vectors.hidden.map(([text]) => text), ...vectors.shown],
};

/** For each language a program that reads names and texts, and says which are hidden and what is shown. */
const PROGRAMS: Record<string, string[]> = {
  python: [
    'python3',
    '-c',
    `
import json, sys
sys.path.insert(0, "runtimes/python/agent")
from amber_agent.veil import Veil
veil, asked = Veil(["kestrel"]), json.load(sys.stdin)
print(json.dumps([[veil.hides(name) for name in asked["names"]], veil.masked_all({"x": [asked["texts"]]})["x"][0]]))
`,
  ],
  ruby: [
    'ruby',
    '-Ku',
    '-e',
    `
require "json"
require "./runtimes/ruby/agent/amber_agent/veil"
veil, asked = AmberAgent::Veil.new(["kestrel"]), JSON.parse(STDIN.read.force_encoding("UTF-8"))
puts JSON.generate([asked["names"].map { |name| veil.hides?(name) }, veil.masked_all({ "x" => [asked["texts"]] })["x"][0]])
`,
  ],
  php: [
    'php',
    '-r',
    `
require "runtimes/php/agent/amber_agent/Plan.php";
require "runtimes/php/agent/amber_agent/Veil.php";
use AmberLantern\\{Plan, Veil};
Plan::$current = ["veil" => ["names" => ["kestrel"], "off" => false]];
$asked = json_decode(stream_get_contents(STDIN), true);
echo json_encode([array_map([Veil::class, "hides"], $asked["names"]), Veil::maskedAll(["x" => [$asked["texts"]]])["x"][0]]);
`,
  ],
};

it('what is written into the languages is what the contract says', () => {
  execFileSync('node', ['scripts/contract.mjs', '--check'], { cwd: ROOT });
});

it.each(vectors.hidden)('of %j it shows %j', (text, shown) => {
  expect(new Veil().masked(text)).toBe(shown);
  expect(new Veil({ off: true }).masked(text)).toBe(text);
  // What is shown already stays as it is.
  expect(new Veil().masked(shown)).toBe(shown);
});

it.each(vectors.shown)('it shows %j', (text) => expect(new Veil().masked(text)).toBe(text));

it('hides in plain data, but not what is exact', () => {
  const data = { text: 'pin=7', list: ['a', { of: 'token: x' }], count: 7, none: null, path: '/token=x' };
  expect(new Veil().maskedAll(data, new Set(['path']))).toEqual({
    text: 'pin=•••',
    list: ['a', { of: 'token: •••' }],
    count: 7,
    none: null,
    path: '/token=x',
  });
});

it('finds in plain data whether any of its texts has something to hide, however often it is asked', () => {
  const veil = new Veil();
  const texts = fc.oneof(
    fc.constantFrom(...vectors.hidden.map(([text]) => text), ...vectors.shown),
    fc.string({ maxLength: 30 }),
  );
  const { data } = fc.letrec((tie) => ({
    data: fc.oneof(
      { maxDepth: 4 },
      texts,
      fc.integer(),
      fc.constant(null),
      fc.array(tie('data'), { maxLength: 4 }),
      fc.dictionary(fc.constantFrom('hits', 'name', 'changed'), tie('data')),
    ),
  }));
  let hidden = 0;
  fc.assert(
    fc.property(data, (told) => {
      const isAnything = JSON.stringify(veil.maskedAll(told)) !== JSON.stringify(told);
      hidden += isAnything ? 1 : 0;
      expect(veil.mayHideIn(told) || !isAnything).toBe(true);
      expect(new Veil({ off: true }).mayHideIn(told)).toBe(false);
    }),
    { numRuns: 2000 },
  );
  expect(hidden).toBeGreaterThan(100);
  // As often as names are kept, and more often.
  expect(
    Array.from({ length: 12_000 }, (_, index) => `fare ${index}`).some((text) => veil.mayHideIn(text)),
  ).toBe(false);
  expect(veil.mayHideIn([{ text: 'token=abc' }])).toBe(true);
});

it.each(Object.keys(PROGRAMS).filter((language) => has(language)))(
  'the agent in %s does the same',
  (language) => {
    const [command = '', ...args] = PROGRAMS[language] ?? [];
    const told = execFileSync(command, args, { cwd: ROOT, input: JSON.stringify(ASKED), encoding: 'utf8' });
    const veil = new Veil({ names: ['kestrel'] });
    expect(JSON.parse(told)).toEqual([
      ASKED.names.map((name) => veil.hides(name)),
      ASKED.texts.map((text) => veil.masked(text)),
    ]);
  },
);

/** Whether a language is here; in CI all are. */
function has(language: string): boolean {
  const [command = ''] = PROGRAMS[language] ?? [];
  return process.env.CI !== undefined || spawnSync(command, ['--version']).error === undefined;
}

it('takes a time that grows with the length of a text, whatever it is', () => {
  // Each of them would take minutes where a rule went over it again from each of its characters.
  for (const part of [
    'a',
    'password',
    'eyJ',
    '://',
    'token=',
    '"',
    'token\\',
    'bearer ',
    'cookie:',
    '"token"\n',
  ]) {
    // What fails here is the limit of the test's time.
    expect(new Veil().masked(part.repeat(200_000 / part.length))).not.toBe('');
  }
});
