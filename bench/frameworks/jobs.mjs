/*
 * Tries marks for jobs on workers of real queues, with a Redis of its own: node bench/frameworks/jobs.mjs [NAME…] [--install]
 * Of 200 jobs each has to pass the logpoint in its own name, one stops by `break request JOB`, and all are done in the end.
 */
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { freePort, pause } from '../faults/served.mjs';
import { install, isMeant, ROOT } from './packages.mjs';
import { Session } from './session.mjs';

const JOBS = 200;
/** Milliseconds for which jobs may take until they are done. */
const LONGEST = 20_000;

const celery = (...more) => ({
  debian: ['python3-celery', 'python3-redis'],
  file: 'stamping.py',
  worker: ['/usr/bin/python3', '-m', 'celery', '-A', 'stamping', 'worker', ...more],
  send: ['/usr/bin/python3', 'stamping.py'],
  name: '/stamping.print_slip',
});
const QUEUES = {
  'Celery, prefork': celery('--concurrency', '2'),
  'Celery, solo': celery('-P', 'solo'),
  Sidekiq: {
    debian: ['ruby-sidekiq'],
    file: 'stamping.rb',
    worker: ['sidekiq', '-r', './stamping.rb', '-c', '4'],
    send: ['ruby', 'stamping.rb'],
    name: '/Slip',
  },
  BullMQ: {
    npm: ['bullmq', 'ioredis'],
    file: 'stamping.cjs',
    worker: ['node', 'stamping.cjs'],
    send: ['node', 'stamping.cjs'],
    name: '/slips/stamp',
  },
};

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: { install: { type: 'boolean' } },
});
for (const [name, queue] of Object.entries(QUEUES)) {
  if (isMeant(name, positionals)) {
    if (options.install) {
      mkdirSync(ROOT, { recursive: true });
      install(ROOT, { debian: ['redis-server', ...(queue.debian ?? [])], npm: queue.npm });
    }
    const told = await tried(queue).catch((error) => `no: ${error.message}`);
    process.stdout.write(`${name}: ${told}\n`);
  }
}

async function tried({ file, worker, send, name }) {
  const home = mkdtempSync(join(tmpdir(), 'amber-jobs-'));
  const folder = join(home, 'stamping');
  cpSync(join(import.meta.dirname, 'queues'), folder, { recursive: true });
  const port = `${await freePort()}`;
  const slips = join(home, 'slips');
  const env = { ...process.env, REDIS_PORT: port, SLIPS: slips, PACKAGES: ROOT };
  const redis = spawn('redis-server', ['--port', port, '--save', '', '--bind', '127.0.0.1', '--dir', home], {
    stdio: 'ignore',
  });
  await pause(700);
  const service = spawn(worker[0], worker.slice(1), { cwd: folder, env, detached: true, stdio: 'ignore' });
  const sends = (from, to) =>
    spawnSync(send[0], [...send.slice(1), `${from}`, `${to}`], { cwd: folder, env, stdio: 'ignore' });
  const done = () => (existsSync(slips) ? readFileSync(slips, 'utf8').trim().split('\n') : []);
  const until = async (what, isThere) => {
    for (let waited = 0; !isThere(); waited += 50) {
      if (waited > LONGEST) {
        throw new Error(what());
      }
      await pause(50);
    }
  };
  try {
    sends(1, 2);
    await until(
      () => 'it does no job',
      () => done().length === 1,
    );
    const session = new Session(['stamping'], { cwd: folder });
    const { targets } = await session.ask('targets', 'attached');
    const line =
      readFileSync(join(folder, file), 'utf8')
        .split('\n')
        .findIndex((text) => /^\s+(?:return )?total;?$/.test(text)) + 1;
    await session.ask(`log ${file}:${line} "{total}" for request JOB ${name}`, 'marks');
    sends(1_000, 1_000 + JOBS);
    const hits = () => session.records.filter(({ kind }) => kind === 'hit');
    await until(
      () => `${hits().length} of ${JOBS} hits were told`,
      () => hits().length >= JOBS,
    );
    const requests = new Set(hits().map(({ target, request }) => `${target} ${request?.id}`));
    const right = hits().filter(({ request }) => request?.method === 'JOB' && request.target === name);
    if (hits().length !== JOBS || right.length !== JOBS || requests.size !== JOBS) {
      throw new Error(`${right.length} of ${hits().length} hits were of their job, of ${requests.size}`);
    }
    await session.ask(`break request JOB ${name}`, 'marks');
    sends(2_000, 2_001);
    const { frame, request } = await session.ask('wait 20', 'stop');
    session.say('resume');
    await until(
      () => 'the job that was stopped was not done',
      () => done().includes('2000 4000'),
    );
    await session.detach();
    sends(3_000, 3_000 + JOBS);
    await until(
      () => `${done().length} of ${2 * JOBS + 2} jobs were done`,
      () => done().length === 2 * JOBS + 2,
    );
    const wrong = done().filter((text) => Number(text.split(' ')[1]) !== 2 * Number(text.split(' ')[0]));
    if (wrong.length > 0) {
      throw new Error(`${wrong.length} jobs were done wrongly`);
    }
    const where = `${frame.name}, ${request.method} ${request.target}`;
    return `✓ ${targets.length} targets, ${right.length} of ${JOBS} hits, stopped in ${where}, all done`;
  } finally {
    try {
      process.kill(-service.pid, 'SIGKILL');
    } catch {
      // It has ended.
    }
    redis.kill('SIGKILL');
    rmSync(home, { recursive: true, force: true });
  }
}
