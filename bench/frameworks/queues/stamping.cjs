const { createRequire } = require('node:module');
const { appendFileSync } = require('node:fs');
const { Worker, Queue } = createRequire(`${process.env.PACKAGES}/`)('bullmq');

const connection = { host: '127.0.0.1', port: Number(process.env.REDIS_PORT), maxRetriesPerRequest: null };
function totalOf(n) {
  const total = n * 2;
  return total;
}
async function stamp({ data: { n } }) {
  await new Promise((done) => setTimeout(done, 2));
  appendFileSync(process.env.SLIPS, `${n} ${totalOf(n)}\n`);
}
async function send(from, to) {
  const queue = new Queue('slips', { connection });
  for (let n = from; n < to; n += 1) {
    await queue.add('stamp', { n });
  }
  await queue.close();
}
if (process.argv.length > 3) {
  send(Number(process.argv[2]), Number(process.argv[3]));
} else {
  new Worker('slips', stamp, { connection, concurrency: 4 });
}
