/*
 * Writes what all runtimes agree on (contract/*.json) into the language of each. node scripts/contract.mjs [--check]
 */
import { readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';

const ROOT = resolve(import.meta.dirname, '..');
const NOTE = 'Written by scripts/contract.mjs from contract/veil.json.';

const { hidden, names, stems, texts } = JSON.parse(readFileSync(resolve(ROOT, 'contract/veil.json'), 'utf8'));
const patterns = texts.map(({ of, needs, pattern }) => ({ of, needs, parts: pattern.split('NAMES') }));

const single = (text) => `'${text.replaceAll('\\', '\\\\').replaceAll("'", "\\'")}'`;
const WIDTH = 100;
/** What the formatter takes for one line (biome.json). */
const LINE = 110;

/** Items in rows of a bounded width. */
function rows(items, indent) {
  const lines = [];
  for (const item of items) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + item.length + 2 <= WIDTH) {
      lines[lines.length - 1] = `${last} ${item},`;
    } else {
      lines.push(`${indent}${item},`);
    }
  }
  return lines.join('\n');
}

const python = () => `"""${NOTE}"""

HIDDEN = ${JSON.stringify(hidden)}

NAMES = (
${names.map((each, index) => `    r"${index > 0 ? '|' : ''}${each}"`).join('\n')}
)

# A text without one of these, in whatever case, says nothing that is to be hidden.
STEMS = (
${rows(
  stems.map((stem) => JSON.stringify(stem)),
  '    ',
)}
)

# For each pattern what it needs one of; and what comes before the names in it, and behind them.
TEXTS = (
${patterns.map(({ of, needs, parts }) => `    # ${of}\n    ((${needs.map((each) => JSON.stringify(each)).join(', ')},), (${parts.map((part) => `r'''${part}'''`).join(', ')}${parts.length === 1 ? ',' : ''})),`).join('\n')}
)
`;

const ruby = () => `# frozen_string_literal: true

# ${NOTE}
module AmberAgent
  module VeilRules
    HIDDEN = '${hidden}'

    NAMES = ${names.map((each, index) => single(`${index > 0 ? '|' : ''}${each}`)).join(' \\\n            ')}

    # A text without one of these, in whatever case, says nothing that is to be hidden.
    STEMS = [
${rows(
  stems.map((stem) => single(stem)),
  '      ',
)}
    ].freeze

    # For each pattern what it needs one of; and what comes before the names in it, and behind them.
    TEXTS = [
${patterns.map(({ of, needs, parts }) => `      # ${of}\n      [[${needs.map((each) => JSON.stringify(each)).join(', ')}], [${parts.map((part) => single(part)).join(', ')}]],`).join('\n')}
    ].freeze
  end
end
`;

const php = () => `<?php
declare(strict_types=1);

namespace AmberLantern;

/** ${NOTE} */
final class VeilRules
{
    public const HIDDEN = '${hidden}';

    public const NAMES = ${names.map((each, index) => single(`${index > 0 ? '|' : ''}${each}`)).join('\n        . ')};

    /** A text that has none of these says nothing that is to be hidden. */
    public const STEMS = ${single(stems.join('|'))};

    /** What comes before the names, and behind them; each is to be compiled with them in between. */
    public const TEXTS = [
${patterns.map(({ of, parts }) => `        // ${of}\n        [${parts.map((part) => single(part)).join(', ')}],`).join('\n')}
    ];
}
`;

const typescript = () => `// ${NOTE}

export const HIDDEN = '${hidden}';

export const NAMES = [
${names.map((each) => `  ${literal(each)},`).join('\n')}
];

/** A text without one of these, in whatever case, says nothing that is to be hidden. */
export const STEMS = [
${stems.map((stem) => `  ${literal(stem)},`).join('\n')}
];

/** What comes before the names, and behind them; each is to be compiled with them in between. */
export const TEXTS = [
${patterns.map(({ of, parts }) => `  // ${of}\n${list(parts.map(literal))}`).join('\n')}
];
`;

/** As the formatter has it: on one line, if it fits. */
function list(items) {
  const line = `  [${items.join(', ')}],`;
  return line.length <= LINE ? line : `  [\n${items.map((item) => `    ${item},\n`).join('')}  ],`;
}

/** As the formatter has it: the quote that needs fewer escapes. */
function literal(text) {
  const quotes = (text.match(/'/g) ?? []).length;
  const doubles = (text.match(/"/g) ?? []).length;
  return quotes > doubles ? JSON.stringify(text) : single(text);
}

const FILES = {
  'runtimes/python/agent/amber_agent/veil_rules.py': python,
  'runtimes/ruby/agent/amber_agent/veil_rules.rb': ruby,
  'runtimes/php/agent/amber_agent/VeilRules.php': php,
  'src/core/veil-rules.ts': typescript,
};

let isCurrent = true;
for (const [file, text] of Object.entries(FILES)) {
  const path = resolve(ROOT, file);
  if (!process.argv.includes('--check')) {
    writeFileSync(path, text());
  } else if (readFileSync(path, 'utf8') !== text()) {
    console.error(`${file} is not what contract/veil.json says: npm run contract`);
    isCurrent = false;
  }
}
process.exitCode = isCurrent ? 0 : 1;
