import type { Description } from '../../src/targets/description.js';
import { type Attached, attachTo, useRunFolder } from '../support/attached.js';
import { HitCollector } from '../support/hits.js';
import { NodeProgram } from '../support/node.js';
import { endPrograms, type LineProgram } from '../support/program.js';
import { Program, pythonWith } from '../support/python.js';
import { RubyProgram, rubyHas } from '../support/ruby.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** Each line that comes in is a job; the worker prints what came of it. */
const CELERY = `import sys, threading
from celery import Celery
app = Celery("slips", broker="memory://")
app.conf.worker_redirect_stdouts = False

def total_of(n):
    total = n * 2
    return total

@app.task(name="slips.stamp")
def stamp(n):
    print("%d -> %d" % (n, total_of(n)), flush=True)

def read():
    for line in sys.stdin:
        stamp.delay(int(line))
    worker.stop()

worker = app.Worker(pool="solo", concurrency=1, loglevel="ERROR", without_gossip=True, without_mingle=True, without_heartbeat=True)
threading.Thread(target=read, daemon=True).start()
print("ready", flush=True)
worker.start()
`;
const SIDEKIQ = `$stdout.sync = true
require 'sidekiq'
require 'sidekiq/processor'
Sidekiq.logger.level = Logger::FATAL
def total_of(n)
  total = n * 2
  total
end
class Stamp
  include Sidekiq::Worker
  def perform(n) = puts("#{n} -> #{total_of(n)}")
end
processor = Sidekiq::Processor.new(nil, { fetch: nil })
puts 'ready'
while (line = gets)
  job = { 'class' => 'Stamp', 'jid' => "slip #{line.to_i}", 'args' => [line.to_i], 'retry' => false }
  processor.send(:dispatch, job, 'default', Sidekiq.dump_json(job)) { |worker| worker.perform(*job['args']) }
end
`;
/** The number of the line on which a source gives the total back. */
function lineOfTotal(source: string): number {
  return source.split('\n').findIndex((line) => /^\s+(?:return )?total;?$/.test(line)) + 1;
}

/** What BullMQ's class of workers calls for each job. */
const WORKER = `exports.Worker = class Worker {
  constructor(name, processFn) {
    this.processFn = processFn;
  }
  callProcessJob(job, token, signal) {
    return this.processFn(job, token, signal);
  }
};
`;
const BULLMQ = `const { Worker } = require('./node_modules/bullmq/dist/cjs/classes/worker.js');
function totalOf(n) {
  const total = n * 2;
  return total;
}
const worker = new Worker('slips', async (job) => {
  await new Promise((done) => setImmediate(done));
  console.log(job.data.n + ' -> ' + totalOf(job.data.n));
});
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  worker.callProcessJob({ id: 'slip ' + line, name: 'stamp', queueName: 'slips', attemptsMade: 0, data: { n: Number(line) } });
});
console.log('ready');
`;

interface Queue {
  name: string;
  path: string;
  isHere(): boolean;
  start(): Promise<{ program: LineProgram & { file: string }; attached: Attached; line: number }>;
}

const python = pythonWith('celery');
const QUEUES: Queue[] = [
  {
    name: 'Celery',
    path: '/slips.stamp',
    isHere: () => python !== undefined,
    async start() {
      const program = new Program(python ?? '', CELERY);
      await program.line('ready');
      const attached = await attachTo(program.description(runFolder()) as Description);
      return { program, attached, line: lineOfTotal(CELERY) };
    },
  },
  {
    name: 'Sidekiq',
    path: '/Stamp',
    isHere: () => rubyHas('sidekiq'),
    async start() {
      const program = new RubyProgram(SIDEKIQ, {}, { args: ['app.rb'] });
      await program.line('ready');
      return { program, attached: await program.attach(runFolder()), line: lineOfTotal(SIDEKIQ) };
    },
  },
  {
    name: 'BullMQ',
    path: '/slips/stamp',
    isHere: () => true,
    async start() {
      const program = new NodeProgram(BULLMQ, 'app.js', {
        'node_modules/bullmq/dist/cjs/classes/worker.js': WORKER,
      });
      await program.line('ready');
      return { program, attached: await program.attach(), line: lineOfTotal(BULLMQ) };
    },
  },
];

describe.each(QUEUES)('jobs of $name', ({ path, isHere, start }) => {
  (isHere() ? it : it.skip)('are what hits belong to, and what marks are for', async () => {
    const { program, attached, line } = await start();
    const hits = new HitCollector(attached);
    const mark = await hits.set(
      'log',
      `${program.file}:${line} "{total}" for request JOB ${path}`,
      program.file,
    );
    await hits.set('log', `${program.file}:${line} "nobody" for request JOB /other`, program.file);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on' });
    for (const number of [3, 4]) {
      expect(await program.ask(`${number}`)).toBe(`${number} -> ${number * 2}`);
    }
    const told = await hits.until(2);
    expect(told.map(({ text, request }) => [text, request?.method, request?.target])).toEqual([
      ['6', 'JOB', path],
      ['8', 'JOB', path],
    ]);
    expect(new Set(told.map(({ request }) => request?.id)).size).toBe(2);
    await attached.session.detach();
    expect(await program.ask('5')).toBe('5 -> 10');
  });
});
