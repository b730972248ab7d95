/*
 * Has `amber contrast` name the faulty line of small services with one fault each, and prints the rank of the first
 * line that is faulty, beside that of plain formulas on the same trail. What is faulty is in case.json, which the tool
 * never sees.
 * With --trails the trails are kept in that folder, and what is there already is read again and not sent again.
 * node bench/contrast/run.mjs [SERVICE…] [--times 3] [--show] [--trails FOLDER]
 */
import { execFile, spawn } from 'node:child_process';
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { join, relative } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs, promisify } from 'node:util';
import { contrast } from '../../dist/src/core/contrast/contrast.js';
import { Observer } from '../../dist/src/core/contrast/observe.js';
import { commonStart } from '../../dist/src/core/contrast/parting.js';
import { bySides } from '../../dist/src/core/contrast/sides.js';
import { FORMULAS } from '../../dist/src/core/contrast/suspicion.js';
import { verdictOf } from '../../dist/src/core/contrast/verdict.js';
import { recordsOf } from '../../dist/src/core/trail/hits.js';
import { AMBER, freePort, pause } from '../faults/served.mjs';

const run = promisify(execFile);
const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    times: { type: 'string', default: '3' },
    show: { type: 'boolean', default: false },
    trails: { type: 'string' },
  },
});
const here = import.meta.dirname;
const services = positionals.length > 0 ? positionals : readdirSync(join(here, 'services')).sort();
const COMMANDS = {
  python: () => ['python3', join(here, 'serve.py')],
  javascript: () => [process.execPath, join(here, 'serve.js')],
  ruby: () => ['ruby', join(here, 'serve.rb')],
  php: (port) => ['php', '-S', `127.0.0.1:${port}`, join(here, 'serve.php')],
};

async function start(runtime, folder, env) {
  const port = runtime === 'php' ? await freePort() : 0;
  const [command, ...args] = COMMANDS[runtime](port);
  const child = spawn(process.execPath, [AMBER, 'run', '--', command, ...args], {
    cwd: folder,
    env,
    stdio: ['ignore', 'pipe', 'ignore'],
    detached: true,
  });
  if (runtime === 'php') {
    await pause(700);
    return { child, port };
  }
  const lines = createInterface({ input: child.stdout });
  return { child, port: Number(await new Promise((done) => lines.once('line', done))) };
}

/** A file's path within the folder that its service was copied to. */
function within(file) {
  return file.replace(/^.*\/amber-contrast-\w+\//, '');
}

/** The rank of the first of the lines that are faulty; Infinity where none is ranked. */
function rankOf(ranked, wanted) {
  const at = ranked.findIndex(({ file, line }) =>
    wanted.some((one) => within(file) === one.file && line === one.line),
  );
  return at < 0 ? Number.POSITIVE_INFINITY : at + 1;
}

/** What the same trail gives to plain formulas over which requests run a line, and to the first line that differs. */
function plainRanks(all, faultyLines) {
  const kinds = {
    good: all.filter(({ kind }) => kind === 'good'),
    faulty: all.filter(({ kind }) => kind === 'faulty'),
  };
  const lines = new Map();
  for (const { kind, steps } of all) {
    for (const key of new Set(steps.map(({ file, line }) => `${within(file)}:${line}`))) {
      const counts = lines.get(key) ?? { good: 0, faulty: 0 };
      lines.set(key, counts);
      counts[kind] += 1;
    }
  }
  const wanted = faultyLines.map(({ file, line }) => `${file}:${line}`);
  const rank = (formula) => {
    const scores = [...lines].map(([key, counts]) => [
      key,
      formula({ ...counts, allGood: kinds.good.length, allFaulty: kinds.faulty.length }),
    ]);
    const best = Math.max(...scores.filter(([key]) => wanted.includes(key)).map(([, score]) => score));
    const above = scores.filter(([, score]) => score > best).length;
    // Of lines that are alike the one in the middle is met.
    return above + (scores.filter(([, score]) => score === best).length + 1) / 2;
  };
  const firsts = kinds.faulty.map((one) => {
    const near = kinds.good.toSorted(
      (a, b) => commonStart(one.steps, b.steps) - commonStart(one.steps, a.steps),
    )[0];
    const step = near && one.steps[commonStart(one.steps, near.steps)];
    return step && `${within(step.file)}:${step.line}`;
  });
  return {
    ochiai: rank(FORMULAS.ochiai),
    tarantula: rank(FORMULAS.tarantula),
    differs: firsts.some((key) => wanted.includes(key)) ? 1 : Number.POSITIVE_INFINITY,
  };
}

/** The files of a service, and of the one that it asks. */
function filesIn(folder) {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && /\.(py|js|rb|php|csv)$/.test(entry.name))
    .map((entry) => relative(folder, join(entry.parentPath, entry.name)));
}

/** What a service is and which of its lines are faulty, by file and line within it. */
function caseOf(name) {
  const source = join(here, 'services', name);
  const { fault, ...rest } = JSON.parse(readFileSync(join(source, 'case.json'), 'utf8'));
  const texts = [fault.text, ...(fault.also ?? [])];
  const wanted = filesIn(source).flatMap((file) =>
    readFileSync(join(source, file), 'utf8')
      .split('\n')
      .flatMap((line, index) => (texts.includes(line.trim()) ? [{ file, line: index + 1 }] : [])),
  );
  return { aside: false, ...rest, name, source, wanted };
}

/** Has the built command find what is faulty in a service, which is started for that. */
async function live(
  { runtime, partner, source, good, faulty, times = options.times, concurrency = 1 },
  trail,
) {
  const folder = mkdtempSync('/tmp/amber-contrast-');
  const env = { ...process.env, AMBER_RUN_DIR: mkdtempSync('/tmp/amber-run-') };
  cpSync(source, folder, { recursive: true, filter: (path) => !path.endsWith('case.json') });
  const started = [];
  const begin = async (...service) => {
    started.push(await start(...service));
    return `http://127.0.0.1:${started.at(-1).port}`;
  };
  try {
    // Of two services the one that is asked by the other begins.
    const asked = partner && (await begin(partner.runtime, join(folder, partner.folder), env));
    const origin = await begin(runtime, folder, asked ? { ...env, PARTNER_URL: asked } : env);
    const requests = Object.fromEntries(
      Object.entries({ ...good, ...faulty }).map(([each, { path, body, expect }]) => [
        each,
        { method: 'POST', url: `${origin}${path}`, body, ...(expect ? { expect } : {}) },
      ]),
    );
    writeFileSync(join(folder, 'amber.yaml'), JSON.stringify({ requests }));
    const kinds = ['--good', ...Object.keys(good), '--faulty', ...Object.keys(faulty)];
    const often = ['--times', `${times}`, '--concurrency', `${concurrency}`];
    const args = ['contrast', ...kinds, ...often, '--trail', trail, '--json'];
    const { stdout } = await run(process.execPath, [AMBER, ...args], { cwd: folder, env });
    return JSON.parse(stdout.trim().split('\n').at(-1));
  } finally {
    for (const { child } of started) {
      process.kill(-child.pid, 'SIGKILL');
    }
    rmSync(folder, { recursive: true, force: true });
    rmSync(env.AMBER_RUN_DIR, { recursive: true, force: true });
  }
}

/** The same from a trail of before. */
function fromTrail({ good, faulty }, trail) {
  const { observer, all } = observed(trail, good, faulty);
  const result = contrast(all, {
    text: (file, line) => observer.text(file, line),
    sources: observer.recorded.sources,
  });
  return {
    ...result,
    ranked: result.ranked.map((suspect, index) => ({ rank: index + 1, ...suspect })),
    verdict: verdictOf(result, all),
  };
}

function observed(trail, good, faulty) {
  const observer = new Observer();
  for (const line of readFileSync(trail, 'utf8').trim().split('\n')) {
    for (const record of recordsOf(line) ?? []) observer.add(record);
  }
  const kindOf = bySides({ good: Object.keys(good), faulty: Object.keys(faulty) });
  return { observer, all: observer.observations(kindOf).filter(({ steps }) => steps.length > 0) };
}

async function tryService(name) {
  const service = caseOf(name);
  const { runtime, kind, aside, good, faulty, wanted } = service;
  const row = { name, runtime, kind, aside, rank: Number.NaN, why: '', plain: {} };
  const kept = options.trails ?? mkdtempSync('/tmp/amber-trails-');
  const trail = join(kept, `${name}.ndjson`);
  try {
    const record = existsSync(trail) ? fromTrail(service, trail) : await live(service, trail);
    return {
      ...row,
      rank: rankOf(record.ranked, wanted),
      verdict: record.verdict,
      ranked: record.ranked,
      plain: plainRanks(observed(trail, good, faulty).all, wanted),
    };
  } catch (error) {
    const said = `${error.stdout ?? ''}${error.stderr ?? error.message}`;
    return { ...row, why: said.trim().split('\n').slice(0, 2).join(' ') };
  } finally {
    if (options.trails === undefined) {
      rmSync(kept, { recursive: true, force: true });
    }
  }
}

if (options.trails !== undefined) {
  mkdirSync(options.trails, { recursive: true });
}
const rows = [];
for (const name of services) {
  const row = await tryService(name);
  rows.push(row);
  console.log(
    `${String(row.rank).padStart(8)}  ${row.runtime.padEnd(11)} ${name.padEnd(20)} ${row.kind}  ${row.why}`,
  );
  if (options.show) {
    console.log(`          ${row.verdict}`);
    for (const { rank, file, line, score, reason } of row.ranked ?? []) {
      console.log(`          ${rank} ${score} ${file.split('/').at(-1)}:${line} ${reason}`);
    }
  }
}
const share = (of, most, rankOf) =>
  `${Math.round((100 * of.filter((row) => rankOf(row) <= most).length) / of.length)} %`;
const WAYS = {
  'amber contrast': ({ rank }) => rank,
  'plain Ochiai': ({ plain }) => plain.ochiai,
  'plain Tarantula': ({ plain }) => plain.tarantula,
  'first differing line': ({ plain }) => plain.differs,
};
for (const [title, of] of [
  ['all', rows],
  ['set aside', rows.filter(({ aside }) => aside)],
]) {
  for (const [way, rank] of Object.entries(WAYS)) {
    if (of.length > 0) {
      console.log(
        `${title} (${of.length}), ${way}: first ${share(of, 1, rank)}, first 3 ${share(of, 3, rank)}, first 5 ${share(of, 5, rank)}`,
      );
    }
  }
}
