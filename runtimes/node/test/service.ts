import { labelled, type Runtime } from '../../../conformance/fixture.js';
import { FUNCTIONS } from '../../../conformance/javascript.js';
import { NodeProgram } from '../../../test/support/node.js';

const SOURCE = `const { createServer } = require('node:http');

${FUNCTIONS}
function late(n) {
  return require('./later.js').arrives(n);
}

function printed(n) {
  console.log('on deck ' + n);
  return n;
}

const ROUTES = { '/double': double, '/least': least, '/quote': quote, '/round': roundTrip, '/caught': caught, '/inside': inside, '/named': named, '/late': late, '/printed': printed };
const server = createServer((request, response) => {
  const { pathname, searchParams } = new URL(request.url, 'http://localhost');
  response.end(String(ROUTES[pathname](Number(searchParams.get('n')))));
});
server.listen(0, '127.0.0.1', () => console.log(server.address().port));
`;
const LATER = `exports.arrives = function arrives(n) {
  const tide = n + 40;  // [arrives]
  return tide;
};
`;

export const node: Runtime = {
  name: 'node',
  words: {
    variable: (name) => name,
    request: (part) => `request.${part}`,
    failing: 'nothing.here',
    error: 'RangeError',
  },
  isHere: () => true,
  async start() {
    const program = new NodeProgram(SOURCE, 'app.js', { 'later.js': LATER });
    const port = await program.line('');
    return {
      file: program.file,
      lineOf: (label) => labelled(SOURCE, label),
      attach: (args) => program.attach(args),
      get: async (path, headers = {}) =>
        await (await fetch(`http://127.0.0.1:${port}${path}`, { headers })).text(),
      end: () => program.end(),
    };
  },
  impossible: {},
};
