// node bench/trail.mjs write|read N FILE: a trail of N hits is written, or summed up; prints seconds and megabytes.
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const { TrailRecorder } = require('../dist/src/core/trail/recorder.js');
const { TrailSummary } = require('../dist/src/core/trail/summary.js');
const { Veil } = require('../dist/src/core/veil.js');
const { openBufferedFile } = require('../dist/src/cli/context.js');
const { readTrail } = require('../dist/src/cli/report/read.js');
const { systemClock } = require('../dist/src/cli/clock.js');

const [, , what, count, path] = process.argv;
const HITS_OF_A_REQUEST = 100;

function write(hits) {
  const file = openBufferedFile(path, 'the trail', 100);
  const startedAt = new Date().toISOString();
  const marks = [{ number: 1, kind: 'log', text: 'quotes.py:84 "{n} {name}"' }];
  const head = {
    startedAt,
    targets: [{ target: 'python:1', name: 'fares', runtime: 'python' }],
    marks,
    veil: true,
  };
  const recorder = new TrailRecorder(
    systemClock,
    (record) => file.write(JSON.stringify(record)),
    head,
    new Veil(),
  );
  const mark = { number: 1, kind: 'log', spec: { place: { kind: 'line', file: 'quotes.py', line: 84 } } };
  const wall = Date.now();
  for (let at = 0; at < hits; at += HITS_OF_A_REQUEST) {
    const id = at / HITS_OF_A_REQUEST + 1;
    const traceparent = `00-${`${id}`.padStart(32, '0')}-${`${id}`.padStart(16, '0')}-01`;
    const request = { id, method: 'POST', target: `/quotes?n=${id}`, traceparent, at };
    recorder.begin('python:1', [{ ...request, wall }]);
    const told = Array.from({ length: HITS_OF_A_REQUEST }, (_, index) => {
      const values = [
        { expression: 'n', value: `${at + index}`, type: 'int' },
        { expression: 'name', value: 'Ada Quill', type: 'str' },
      ];
      const text = `${at + index} Ada Quill`;
      return { mark, seq: at + index, time: at + index, wall, thread: 1, request, values, text };
    });
    recorder.tell('python:1', told, new Map());
    recorder.answered('python:1', [{ request, status: 200, milliseconds: 1.5, wall }], 0);
  }
  recorder.end('time');
  file.close();
}

async function read() {
  const summary = new TrailSummary(50);
  await readTrail(path, (record) => summary.add(record));
  if (summary.hits !== Number(count)) throw new Error(`${summary.hits} hits were read`);
}

const began = performance.now();
await (what === 'write' ? write(Number(count)) : read());
const seconds = (performance.now() - began) / 1000;
// Kilobytes on Linux (getrusage(2)).
process.stdout.write(JSON.stringify({ seconds, megabytes: process.resourceUsage().maxRSS / 1000 }));
