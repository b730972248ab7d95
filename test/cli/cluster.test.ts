import { join } from 'node:path';
import { startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { lineOf, NODE } from '../support/node.js';
import { makeFolder } from '../support/program.js';
import { trailOf } from '../support/trail.js';

useRunFolder();

const WORKERS = 2;
const REQUESTS = 200;
const SOURCE = `
const cluster = require('node:cluster');
async function answer(request, response) {
  await new Promise((done) => setTimeout(done, 1));
  const value = request.url.slice(1);
  response.end(value);
}
if (cluster.isPrimary) {
  for (let count = 0; count < ${WORKERS}; count += 1) cluster.fork();
  cluster.on('exit', () => console.log('a worker has died'));
  console.log('primary ' + process.pid + ' ' + JSON.stringify([process.execArgv, process.env.NODE_OPTIONS ?? null]));
} else {
  const server = require('node:http').createServer(answer);
  server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port + ' ' + JSON.stringify(process.execArgv)));
}
`;

it('a cluster under amber run: its workers live, come as targets each time, and every hit has its request', async () => {
  const folder = makeFolder({ 'cluster.js': SOURCE });
  const program = startAmber(['run', '--', NODE, 'cluster.js'], {
    cwd: folder,
    env: { NODE_OPTIONS: '' },
  });
  try {
    const seen = await program.shows(new RegExp(`(port \\d+ \\[\\][^]*){${WORKERS}}`));
    const port = /port (\d+)/.exec(seen)?.[1];
    const pid = /primary (\d+)/.exec(program.stdout)?.[1] ?? '';
    // Nothing that the program could notice.
    expect(program.stdout).toContain('[[],""]');
    for (const round of [1, 2]) {
      const trail = join(folder, `trail${round}.ndjson`);
      const place = `cluster.js:${lineOf(SOURCE, 'response.end')} "{value}"`;
      const trace = startAmber(
        ['trace', pid, '--log', place, '--requests', `${REQUESTS}`, '--trail', trail],
        { cwd: folder },
      );
      await trace.shows(new RegExp(`(also attached[^]*){${WORKERS}}`));
      const ask = async (number: number) => {
        const response = await fetch(`http://127.0.0.1:${port}/${number}`, {
          headers: { connection: 'close' },
        });
        expect(await response.text()).toBe(`${number}`);
      };
      for (let number = 0; number < REQUESTS; number += 8) {
        await Promise.all(Array.from({ length: 8 }, (_, index) => ask(number + index)));
      }
      expect((await trace.ends()).code).toBe(0);
      const records = trailOf(trail);
      const paths = new Map<number | null, string>(
        records.flatMap((record) => (record.kind === 'request' ? [[record.id, record.path]] : [])),
      );
      const hits = records.flatMap((record) => (record.kind === 'hit' ? [record] : []));
      expect(hits).toHaveLength(REQUESTS);
      expect(hits.filter(({ request, text }) => paths.get(request) !== `/${text}`)).toEqual([]);
    }
    expect(program.stdout).not.toContain('has died');
  } finally {
    program.child.kill('SIGTERM');
    await program.ended;
  }
});
