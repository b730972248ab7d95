/* What is tried on each framework, one after the other, with a session of its own where that matters. */
import { spawn, spawnSync } from 'node:child_process';
import { appendFileSync, cpSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { AMBER, freePort, pause } from '../faults/served.mjs';
import { ask, askAll, keepConnections, rate } from './load.mjs';
import { Session } from './session.mjs';

/** How many times longer than usual everything may take. */
const PATIENCE = Number(process.env.AMBER_PATIENCE || 1);
const REQUESTS = 200;
/** Milliseconds over which rates are measured. */
const MEASURED = 3_000;
/** The same where only the answers are looked at. */
const BRIEF = 300;
/** The number of the request that is stopped, which no other has, and what it is changed to. */
const STOPPED = 77_001;
const CHANGED = 21;

export const BEHAVIOURS = [
  { id: 'attach', title: 'attach' },
  { id: 'hits', title: 'mark' },
  { id: 'requests', title: 'request' },
  { id: 'stop', title: 'stop, look' },
  { id: 'steps', title: 'steps' },
  { id: 'assign', title: 'assign' },
  { id: 'reload', title: 'reload' },
  { id: 'kill', title: 'kill -9 in a stop' },
  { id: 'detach', title: 'detach' },
];
const GOOD = '✓';

/** @returns by behaviour `✓`, perhaps with what was counted, or what went wrong */
export async function tryAll(root, framework, { rates: isForRates, brief }) {
  const measured = brief ? BRIEF : MEASURED;
  keepConnections(!framework.closes);
  const results = {};
  let service;
  try {
    service = await start(root, framework);
  } catch (error) {
    return { attach: `no: ${error.message.replaceAll('\n', ' ').slice(-600)}` };
  }
  const attempt = async (id, work) => {
    try {
      const told = (await work()) ?? '';
      results[id] = told.startsWith('–') ? told : `${GOOD}${told}`;
    } catch (error) {
      results[id] = `no: ${error.message.replaceAll('\n', ' ').slice(0, 600)}`;
    }
  };
  try {
    // The other workers are up a moment later.
    await pause(1_000);
    const before = await rate(service.port, measured);
    let session;
    await attempt('attach', async () => {
      session = service.attach();
      const { targets } = await session.ask('targets', 'attached');
      return targets.length > 1 ? ` ${targets.length} targets` : '';
    });
    if (results.attach.startsWith(GOOD)) {
      if (framework.isInlined) {
        await attempt('hits', () => waits(service, session));
      } else if (isForRates) {
        await attempt('hits', () => hits(service, session));
      } else {
        await tryMarks(framework, service, session, results, attempt);
      }
      await session.detach();
    }
    await attempt('detach', async () => {
      // What was put back is compiled again by then.
      await pause(1_000);
      const after = await rate(service.port, measured);
      return ` ${(after / before).toFixed(2)}`;
    });
    if (results.attach.startsWith(GOOD) && !framework.isInlined && !isForRates) {
      await attempt('kill', () => killed(service));
    }
  } catch (error) {
    results.attach ??= `no: ${error.message}`;
  } finally {
    await service.end();
  }
  return results;
}

async function tryMarks(framework, service, session, results, attempt) {
  await attempt('hits', () => hits(service, session));
  await attempt('requests', () => requests(session));
  await attempt('stop', () => stops(service, session));
  await attempt('steps', () => steps(service, session));
  await attempt('assign', () => assigns(session));
  results.reload = '–';
  if (framework.reloads) {
    await attempt('reload', () => reloads(service, session));
  }
}

export async function start(root, framework) {
  const { parts, more = {}, build, start: command, env = {}, prepared, called } = framework;
  const home = mkdtempSync(join(root, 'app-'));
  // A name of its own, so that two runs of this beside each other do not meet.
  const name = `fares-${home.slice(-6)}`;
  const folder = join(home, name);
  mkdirSync(folder);
  for (const part of parts) {
    cpSync(join(import.meta.dirname, 'apps', part), folder, { recursive: true });
  }
  for (const [file, text] of Object.entries(more)) {
    writeFileSync(join(folder, file), text);
  }
  const port = await freePort();
  const own = { AMBER_RUN_DIR: mkdtempSync(join(tmpdir(), 'amber-run-')) };
  const words = (list) => list.map((word) => word.replace('PORT', `${port}`).replace('ROOT', root));
  if (build !== undefined) {
    const [program, ...args] = words(build);
    const { status, stderr, stdout } = spawnSync(program, args, { cwd: folder, encoding: 'utf8' });
    if (status !== 0) {
      throw new Error(`it cannot be built: ${stderr}${stdout}`);
    }
  }
  const [program, ...args] = prepared
    ? [process.execPath, AMBER, 'run', '--', ...words(command)]
    : words(command);
  let said = '';
  const child = spawn(program, args, {
    cwd: folder,
    env: { ...process.env, ...(prepared ? own : {}), ...env },
    stdio: ['ignore', 'pipe', 'pipe'],
    detached: true,
  });
  const hear = (chunk) => {
    said = `${said}${chunk}`.slice(-3_000);
  };
  child.stdout.on('data', hear);
  child.stderr.on('data', hear);
  const end = async () => {
    try {
      process.kill(-child.pid, 'SIGTERM');
      await pause(500);
      process.kill(-child.pid, 'SIGKILL');
    } catch {
      // It has ended.
    }
    spawnSync('pkill', ['-9', '-f', home]);
    rmSync(home, { recursive: true, force: true });
  };
  const service = {
    port,
    folder,
    end,
    ...framework,
    attach: () => new Session([called ?? name], { cwd: folder, env: prepared ? own : {} }),
  };
  for (let attempt = 0; (await ask(port, 1, 20_000)) !== '200 2'; attempt += 1) {
    if (attempt === 400 * PATIENCE || child.exitCode !== null) {
      await end();
      throw new Error(`it does not answer (${child.exitCode}): ${said}`);
    }
    await pause(100);
  }
  return service;
}

/** Each request passes the logpoint, and each answer is right. */
async function hits({ file, told, say, port }, session) {
  const { marks } = await session.ask(`log ${file}:${told} "${say}"`, 'marks');
  const [{ state, route, note }] = marks;
  if (state !== 'on') {
    throw new Error(`the mark waits: ${note}`);
  }
  const wrong = await askAll(port, 1, REQUESTS);
  if (wrong.length > 0) {
    throw new Error(`${wrong.length} answers were wrong: ${wrong[0]}`);
  }
  const left = await heard(session, REQUESTS);
  return left ?? (route === 'spliced' ? '' : ` ${route}`);
}

/** Where a compiler has left nothing of a line, the mark says that there is no code. */
async function waits({ file, told, say }, session) {
  const { marks } = await session.ask(`log ${file}:${told} "${say}"`, 'marks');
  if (marks[0].state === 'on' || !marks[0].note.startsWith('there is no code')) {
    throw new Error(`the mark is ${marks[0].state}: ${marks[0].note}`);
  }
  return '– the build has left no code of that line, and the mark says so';
}

/** Whether it was told that a mark is not carried out for now. */
function wasInterrupted({ records }) {
  return records.some(({ kind, state }) => kind === 'mark' && state === 'waiting');
}

/** Until there are as many hits. */
async function heard(session, count) {
  const told = () => session.records.filter(({ kind }) => kind === 'hit').length;
  for (let look = 0; told() < count; look += 1) {
    if (look === 100 * PATIENCE) {
      if (wasInterrupted(session)) {
        return ` ${told()} of ${count}: passed too often for the engine, and told so`;
      }
      throw new Error(`${told()} of ${count} hits were told`);
    }
    await pause(50);
  }
  if (told() > count) {
    throw new Error(`${told()} hits were told of ${count} requests`);
  }
}

/** Each hit belongs to the request of its number. */
function requests(session) {
  const all = session.records.filter(({ kind }) => kind === 'hit');
  const right = all.filter(
    ({ request, values }) => request !== null && request.target === `/quotes/${Number(values[0].value) / 2}`,
  );
  if (all.length === 0 || right.length < all.length) {
    throw new Error(`${right.length} of ${all.length} hits were of their request`);
  }
  return ` ${right.length}`;
}

/** One request among others stops, by its header, and its variables are seen. */
async function stops({ file, set, port }, session) {
  const { marks } = await session.ask(`break ${file}:${set} for header x-number=${STOPPED}`, 'marks');
  if (marks[0].state !== 'on') {
    throw new Error(`the mark waits: ${marks[0].note}`);
  }
  session.answer = ask(port, STOPPED);
  const others = askAll(port, 1_000, 16);
  const stop = await session.ask('wait 20', 'stop');
  if (stop.request?.target !== `/quotes/${STOPPED}`) {
    throw new Error(`it stopped for ${JSON.stringify(stop.request)}`);
  }
  const { frames } = await session.ask('stack', 'stack');
  if (!frames[0].file?.endsWith(file) || frames[0].line !== set) {
    throw new Error(`it stopped at ${frames[0].file}:${frames[0].line}`);
  }
  const name = file.endsWith('.php') ? '$number' : 'number';
  const { value } = await session.ask(`= ${name}`, 'value');
  if (value !== `${STOPPED}`) {
    throw new Error(`${name} is ${value}`);
  }
  session.others = others;
}

/** A variable gets another value, and a step over the line that takes it. */
async function steps({ file, set }, session) {
  const name = session.records.findLast(({ kind }) => kind === 'value').expression;
  const { error, value } = await session.ask(`assign ${name} = ${CHANGED}`, 'value');
  if (error || value !== `${CHANGED}`) {
    throw new Error(`${name} cannot be set: ${error ?? value}`);
  }
  const over = await session.ask('over', 'stop');
  if (!over.frame.file?.endsWith(file) || over.frame.line !== set + 1) {
    throw new Error(`over led to ${over.frame.file}:${over.frame.line}`);
  }
}

/** The request goes on with what was assigned, and the others as ever. */
async function assigns(session) {
  session.say('resume');
  const [answer, others] = await Promise.all([session.answer, session.others]);
  if (answer !== `200 ${CHANGED * 2}`) {
    throw new Error(`the answer was ${answer}`);
  }
  if (others.length > 0) {
    throw new Error(`another answer was ${others[0]}`);
  }
}

/** A file is changed, and the marks are in what runs then. */
async function reloads({ folder, file, port }, session) {
  appendFileSync(join(folder, file), /\.(?:py|rb)$/.test(file) ? '\n# changed\n' : '\n// changed\n');
  const before = session.records.filter(({ kind }) => kind === 'hit').length;
  const since = () => session.records.filter(({ kind }) => kind === 'hit').length - before;
  for (let look = 0; look < 200 * PATIENCE; look += 1) {
    await pause(100);
    await ask(port, 9_000 + look);
    if (look > 20 && since() > 0) {
      break;
    }
  }
  await pause(1_000);
  const now = since();
  const wrong = await askAll(port, 20_000, REQUESTS);
  if (wrong.length > 0) {
    throw new Error(`${wrong.length} answers were wrong: ${wrong[0]}`);
  }
  for (let look = 0; since() < now + REQUESTS; look += 1) {
    if (look === 100 * PATIENCE) {
      if (wasInterrupted(session)) {
        return ` ${since() - now} of ${REQUESTS}: passed too often for the engine, and told so`;
      }
      throw new Error(`${since() - now} of ${REQUESTS} hits after it`);
    }
    await pause(50);
  }
}

/** `amber` is killed while a request is held: that goes on, and all others. */
async function killed({ port, file, set, attach }) {
  const session = attach();
  await session.ask(`break ${file}:${set}`, 'marks');
  const held = ask(port, STOPPED + 1);
  await session.ask('wait 20', 'stop');
  const began = performance.now();
  await session.kill();
  const answer = await held;
  if (answer !== `200 ${(STOPPED + 1) * 2}`) {
    throw new Error(`the held request was answered ${answer}`);
  }
  const took = performance.now() - began;
  const wrong = await askAll(port, 30_000, 100);
  if (wrong.length > 0) {
    throw new Error(`another answer was ${wrong[0]}`);
  }
  return ` ${(took / 1000).toFixed(1)} s`;
}
