import { execFileSync, spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { readRule, ruleRow } from '../../../src/adapters/wanted.js';
import { parseRule } from '../../../src/core/marks/hit-rule.js';

const ROOT = resolve(__dirname, '..', '..', '..');
const { passes, taken, refused } = JSON.parse(readFileSync(resolve(ROOT, 'contract/rules.json'), 'utf8')) as {
  passes: number;
  taken: [string, number[]][];
  refused: string[];
};

/** Programs that read the rules as they are written, and say which passes each takes; null where it is refused. */
const READERS: Record<string, string[]> = {
  python: [
    'python3',
    '-c',
    `
import json, sys
sys.path.insert(0, "runtimes/python/agent")
from amber_agent.marks import HitRule
def seen(text, passes):
    try:
        rule = HitRule(text)
    except ValueError:
        return None
    return [number for number in range(1, passes + 1) if rule.takes(number)]
given = json.load(sys.stdin)
print(json.dumps([seen(text, given["passes"]) for text in given["rules"]]))
`,
  ],
  ruby: [
    'ruby',
    '-e',
    `
require "json"
source = File.read("runtimes/ruby/agent/amber_agent/marks.rb")
# The rule alone: the rest of the file needs an agent.
eval("module AmberAgent\\n" + source[/^  class HitRule.*?^  end$/m] + "\\nend")
given = JSON.parse(STDIN.read)
puts JSON.generate(given["rules"].map { |text|
  begin
    rule = AmberAgent::HitRule.new(text)
    (1..given["passes"]).select { |number| rule.takes?(number) }
  rescue ArgumentError
    nil
  end
})
`,
  ],
};

/** Programs that are given rules as an adapter hands them on. */
const TAKERS: Record<string, string[]> = {
  php: [
    'php',
    '-r',
    `
require "runtimes/php/agent/amber_agent/Rule.php";
$given = json_decode(stream_get_contents(STDIN), true);
$seen = fn(array $rule) => array_values(array_filter(range(1, $given["passes"]), fn($pass) => AmberLantern\\Rule::takes($rule, $pass)));
echo json_encode(array_map($seen, $given["rows"]));
`,
  ],
  javascript: [
    'node',
    '-e',
    `
const { takes } = eval(require('fs').readFileSync('engines/v8/agent/rules.js', 'utf8'))();
const given = JSON.parse(require('fs').readFileSync(0, 'utf8'));
const seen = (rule) => {
  const mark = { passes: 0, rule };
  return Array.from({ length: given.passes }, (_, index) => (takes(mark) ? index + 1 : 0)).filter(Boolean);
};
console.log(JSON.stringify(given.rows.map(seen)));
`,
  ],
};

/** Whether a language is here; in CI all are. */
function has(command: string): boolean {
  return process.env.CI !== undefined || spawnSync(command, ['--version']).error === undefined;
}

function ask([command = '', ...args]: string[], given: object): unknown {
  const input = JSON.stringify({ passes, ...given });
  return JSON.parse(execFileSync(command, args, { cwd: ROOT, input, encoding: 'utf8' }));
}

describe('the hit rules of the contract', () => {
  const rules = [...taken.map(([text]) => text), ...refused];
  const wanted = [...taken.map(([, numbers]) => numbers), ...refused.map(() => null)];

  it.each(refused)('%j is refused by the grammar', (text) => {
    expect(() => parseRule(text)).toThrow(expect.objectContaining({ code: 'AL_PLACE' }));
    expect(readRule(text).trouble).not.toBe('');
  });

  for (const [language, program] of Object.entries(READERS)) {
    (has(program[0] ?? '') ? it : it.skip)(`are those that the agent in ${language} takes`, () => {
      expect(ask(program, { rules })).toEqual(wanted);
    });
  }

  for (const [language, program] of Object.entries(TAKERS)) {
    (has(program[0] ?? '') ? it : it.skip)(
      `are those that the agent in ${language} takes, as they are handed on`,
      () => {
        const rows = taken.map(([text]) => ruleRow(readRule(text).rule));
        expect(ask(program, { rows })).toEqual(taken.map(([, numbers]) => numbers));
      },
    );
  }
});
