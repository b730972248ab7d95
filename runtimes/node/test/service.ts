import { labelled, type Runtime } from '../../../conformance/fixture.js';
import { NodeProgram } from '../../../test/support/node.js';

const SOURCE = `const { createServer } = require('node:http');

function fare(n) {
  const total = n * 3;      // [total]
  // [remark]
  let twice = total * 2;    // [twice]
  return twice;             // [back]
}

function quote(n) {
  const first = fare(n);    // [call]
  return first + 1;         // [after]
}

function roundTrip(n) {
  let length = 0;
  for (let leg = 0; leg < n; leg += 1) {
    length += leg;          // [leg]
  }
  return length;
}

function tide() {
  throw new RangeError('tide');  // [raise]
}

function caught(n) {
  try {
    return tide(n);
  } catch {
    return n;
  }
}

function inside(n) {
  try {
    throw new RangeError('tide');  // [inside]
  } catch {
    return n;
  }
}

function late(n) {
  return require('./later.js').arrives(n);
}

function printed(n) {
  console.log('on deck ' + n);
  return n;
}

const ROUTES = { '/quote': quote, '/round': roundTrip, '/caught': caught, '/inside': inside, '/late': late, '/printed': printed };
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
      get: async (path) => await (await fetch(`http://127.0.0.1:${port}${path}`)).text(),
      end: () => program.end(),
    };
  },
  impossible: {},
};
