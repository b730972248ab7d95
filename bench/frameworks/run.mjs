/*
 * Tries the built `amber` on the frameworks and servers that people have, each with a small service of the ferry office
 * and eight clients: node bench/frameworks/run.mjs [NAME…] [--install] [--write] [--brief]
 * What it looks at is in `behaviours.mjs`. `--install` gets what is missing from Debian and the npm registry, `--write`
 * puts the table into docs/frameworks.md; `--rates` only sets a logpoint and compares rates, for a calm machine; `--brief`
 * does not measure them. It ends with 1 where something was wrong.
 */
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { BEHAVIOURS, tryAll } from './behaviours.mjs';
import { examplesOf } from './examples.mjs';
import { FRAMEWORKS } from './frameworks.mjs';
import { endClients } from './load.mjs';
import { install, isMeant, ROOT } from './packages.mjs';

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    install: { type: 'boolean' },
    write: { type: 'boolean' },
    rates: { type: 'boolean' },
    brief: { type: 'boolean' },
  },
});
const PAGE = resolve(import.meta.dirname, '..', '..', 'docs', 'frameworks.md');

const chosen = Object.entries(FRAMEWORKS).filter(([name]) => isMeant(name, positionals));
mkdirSync(ROOT, { recursive: true });
if (options.install) {
  const all = (kind) => chosen.flatMap(([, each]) => each[kind] ?? []);
  install(ROOT, { debian: all('debian'), npm: all('npm') });
}
const rows = [];
for (const [name, framework] of chosen) {
  const version = versionOf(framework);
  const results = version === undefined ? undefined : await tryAll(ROOT, framework, options);
  rows.push({ name, version, results });
  const told = BEHAVIOURS.map(({ title, id }) => `${title}: ${results?.[id] ?? 'not tried'}`);
  process.stdout.write(`${name} ${version ?? 'is not here (--install gets it)'}\n  ${told.join('\n  ')}\n`);
}
if (options.write) {
  write();
}
if (
  rows.some(({ results }) => Object.values(results ?? { version: 'no' }).some((told) => /^no\b/.test(told)))
) {
  process.exitCode = 1;
}
endClients();

function versionOf({ version: [program, ...args] }) {
  const { status, stdout } = spawnSync(program, args, { cwd: ROOT, encoding: 'utf8' });
  return status === 0
    ? stdout
        .trim()
        .split(/\s/)
        .at(-1)
        .replace(/^\d+:|[+-].*$/g, '')
    : undefined;
}

/** Puts the rows into the page, in the place of those of the same name. */
function write() {
  const head = `| | version | ${BEHAVIOURS.map(({ title }) => title).join(' | ')} |\n| --- | --- |${' --- |'.repeat(BEHAVIOURS.length)}`;
  const before = readFileSync(PAGE, 'utf8');
  const [intro, rest] = before.split('<!-- table -->\n');
  const [old, after] = rest.split('<!-- end of the table -->');
  const lines = new Map(
    old
      .split('\n')
      .slice(2)
      .filter(Boolean)
      .map((line) => [line.split(' | ')[0], line]),
  );
  for (const { name, version, results } of rows.filter((row) => row.results)) {
    const known = lines.get(`| ${name}`)?.replace(/ \|$/, '').split(' | ').slice(2) ?? [];
    // Rates are of one machine at one moment.
    const told = (id) => (id === 'detach' ? results[id]?.replace(/ [\d.]+$/, '') : results[id]);
    const cells = BEHAVIOURS.map(({ id }, index) => told(id) ?? known[index] ?? '');
    lines.set(`| ${name}`, `| ${name} | ${version} | ${cells.join(' | ')} |`);
  }
  const order = Object.keys(FRAMEWORKS).map((name) => lines.get(`| ${name}`));
  const table = [head, ...order.filter(Boolean)].join('\n');
  const [between, shown] = after.split('<!-- examples -->\n');
  const [, end] = shown.split('<!-- end of the examples -->');
  const examples = `<!-- examples -->\n${examplesOf(FRAMEWORKS)}<!-- end of the examples -->`;
  writeFileSync(
    PAGE,
    `${intro}<!-- table -->\n${table}\n<!-- end of the table -->${between}${examples}${end}`,
  );
}
