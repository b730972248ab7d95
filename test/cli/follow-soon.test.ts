import { startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { endPrograms } from '../support/program.js';
import { trailOf } from '../support/trail.js';

useRunFolder();
afterEach(endPrograms);

/** One request waits inside the function that is followed, until a second after another one has let it go. */
const SOURCE = `
let release = () => undefined;
async function answer(request, response) {
  const url = request.url;
  if (url === '/wait') await new Promise((done) => { release = done; console.log('waits'); });
  if (url === '/release') setTimeout(() => release(), 1_000);
  const text = 'at ' + url;
  response.end(text);
}
const server = require('node:http').createServer(answer);
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));
`;

it('lines of a function that is just running are followed before requests are sent', async () => {
  const program = new NodeProgram(SOURCE);
  const port = (await program.line('port')).split(' ')[1];
  const get = async (path: string) => await (await fetch(`http://127.0.0.1:${port}${path}`)).text();
  const waiting = get('/wait');
  await program.line('waits');
  const trail = program.path('trail.ndjson');
  const trace = startAmber(
    [
      'trace',
      `${program.pid}`,
      '--follow',
      'answer',
      '--send',
      `GET http://127.0.0.1:${port}/quote`,
      '--times',
      '3',
      '--trail',
      trail,
    ],
    { cwd: program.folder },
  );
  await trace.shows('follows');
  expect(await get('/release')).toBe('at /release');
  expect(await waiting).toBe('at /wait');
  expect(await trace.ended).toMatchObject({ code: 0 });
  const records = trailOf(trail);
  const quotes = records.flatMap((record) =>
    record.kind === 'request' && record.path === '/quote' ? [record.id] : [],
  );
  expect(quotes).toHaveLength(3);
  for (const id of quotes) {
    const lines = records.flatMap((record) =>
      record.kind === 'hit' && record.request === id ? [record.follow?.line] : [],
    );
    expect(lines.length).toBeGreaterThanOrEqual(4);
  }
});
