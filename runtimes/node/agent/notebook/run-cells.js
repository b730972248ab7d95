'use strict';
// Runs cells of a notebook, each when it is asked for: what `amber launch season.ipynb` starts for one of JavaScript.
//
// A JSON object a line, {"run": 2, "name": "season.ipynb#2", "text": …}, is read from descriptor 3, and answered on
// descriptor 4: {"ran": 2, "number": 5, "error": null or {"type": …, "text": …}}. V8 evaluates them as it does what is
// typed in (Runtime.evaluate, replMode): what was declared may be declared again, and await stands anywhere.

const { createReadStream, writeSync } = require('node:fs');
const { Session } = require('node:inspector');
const { createRequire } = require('node:module');
const { join } = require('node:path');
const { createInterface } = require('node:readline');
const { inspect } = require('node:util');

const [ASKED, TOLD] = [3, 4];
const engine = new Session();
engine.connect();
let number = 0;
Object.assign(globalThis, {
  require: createRequire(join(process.cwd(), 'notebook.js')),
  __dirname: process.cwd(),
});

function evaluate(name, text) {
  const expression = `${text}\n//# sourceURL=${name}`;
  return new Promise((done, failed) =>
    engine.post(
      'Runtime.evaluate',
      { expression, replMode: true, awaitPromise: true, objectGroup: 'cells', includeCommandLineAPI: false },
      (error, answer) => (error ? failed(error) : done(answer)),
    ),
  );
}

/** The value that a handle of the engine stands for: handed over by a call on it. */
let handed;
globalThis[Symbol.for('amber.cell')] = (value) => {
  handed = value;
};
function valueOf(object) {
  if (object.objectId === undefined) {
    return 'value' in object ? object.value : object.type === 'undefined' ? undefined : object.description;
  }
  engine.post('Runtime.callFunctionOn', {
    functionDeclaration: "function () { globalThis[Symbol.for('amber.cell')](this); }",
    objectId: object.objectId,
  });
  return handed;
}

/** What is told of an error, down to the last frame that is a cell's or a function's that it has called. */
function ownLines(lines) {
  const last = lines.findLastIndex((line) => /\.ipynb#\d+:/.test(line));
  const head = lines.findIndex((line) => /^\s+at /.test(line));
  return lines.slice(0, last < 0 ? (head < 0 ? undefined : head) : last + 1);
}

async function run({ name, text }) {
  const { result, exceptionDetails } = await evaluate(name, text);
  if (exceptionDetails === undefined) {
    const value = valueOf(result);
    if (value !== undefined) {
      process.stdout.write(`${inspect(value)}\n`);
    }
    return null;
  }
  const { exception, text: short } = exceptionDetails;
  const description = exception?.description ?? String(exception?.value ?? short);
  const lines = ownLines(description.split('\n'));
  process.stderr.write(`${lines.join('\n')}\n`);
  const [, type = 'Error', told = ''] = /^([\w$.]*):?\s*(.*)/.exec(lines[0] ?? '') ?? [];
  return { type: exception?.className ?? type, text: told };
}

// What a cell has left behind may fail later; the other cells are there still.
for (const event of ['uncaughtException', 'unhandledRejection']) {
  process.on(event, (error) => process.stderr.write(`${ownLines(inspect(error).split('\n')).join('\n')}\n`));
}

const tell = (what) => writeSync(TOLD, `${JSON.stringify(what)}\n`);
const lines = createInterface({ input: createReadStream('', { fd: ASKED }) });
let last = Promise.resolve();
lines.on('line', (line) => {
  const wanted = JSON.parse(line);
  last = last.then(async () => {
    number += 1;
    const mine = number;
    const error = await run(wanted);
    tell({ ran: wanted.run, number: mine, error });
  });
});
tell({ ready: true, shell: null });
