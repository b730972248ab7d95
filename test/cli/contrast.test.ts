import { readFileSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { type Amber, childrenOf, recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { mayTrace } from '../support/tracing.js';

useRunFolder();
afterEach(endPrograms);

/** A return trip with a child has a discount that is far too large, in the table. */
const APP = `import json
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from tables import discount_of

def quote(body):
    total = 0
    for kind in body["passengers"]:
        single = 20
        leg = single
        if body.get("back"):
            discount = discount_of(kind)
            leg = single * (1 - discount)
        total = total + leg
    return total

class Handler(BaseHTTPRequestHandler):
    def do_POST(self):
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        answer = json.dumps({"total": quote(body)}).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(answer)))
        self.end_headers()
        self.wfile.write(answer)
    def log_message(self, *args):
        pass

server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
print(server.server_address[1], flush=True)
server.serve_forever()
`;
const TABLES = `DISCOUNTS = {"adult": 0.1, "child": 5}

def discount_of(kind):
    rate = DISCOUNTS[kind]
    return rate
`;

/** Services under `amber run`, which ends with them: also where a test has failed, since others look at all that runs. */
const served: Amber[] = [];
afterEach(async () => {
  for (const amber of served.splice(0)) {
    for (const pid of childrenOf(amber.child.pid)) {
      process.kill(pid);
    }
    await amber.ended;
  }
});

async function serve() {
  const folder = makeFolder({ 'app.py': APP, 'tables.py': TABLES });
  const amber = startAmber(['run', '--', 'python3', 'app.py'], { cwd: folder });
  served.push(amber);
  const output = await amber.shows(/^\d+\n/);
  const port = /^\d+/.exec(output)?.[0];
  const request = (passengers: string[], back: boolean) => ({
    method: 'POST',
    url: `http://127.0.0.1:${port}/quotes`,
    body: { passengers, back },
    expect: { body: ['/total >= 0'] },
  });
  const requests = {
    single: request(['adult', 'child'], false),
    'good-return': request(['adult', 'adult'], true),
    'return-with-child': request(['adult', 'child'], true),
  };
  writeFileSync(join(folder, 'amber.yaml'), JSON.stringify({ requests }));
  return { folder };
}

it('the line is named by one command, from requests alone, in one record or for people', async () => {
  const { folder } = await serve();
  const kinds = ['--good', 'single', 'good-return', '--faulty', 'return-with-child', '--times', '2'];
  const { stdout, code } = await runAmber(['contrast', ...kinds, '--json'], { cwd: folder });
  const records = recordsOf(stdout);
  expect(records).toHaveLength(1);
  const [record] = records;
  if (record?.kind !== 'contrast') {
    throw new Error(stdout);
  }
  expect(code).toBe(0);
  expect(record).toMatchObject({ good: 4, faulty: 2, rounds: 2, weak: false });
  const top = record.ranked.slice(0, 3).map(({ file, line }) => `${basename(file)}:${line}`);
  expect(top).toContain('tables.py:4');
  // The row itself, which no request runs.
  expect(top).toContain('tables.py:1');
  // A good return runs the very same lines, so that only values can tell.
  expect(record.parting).toBeNull();

  const told = await runAmber(['contrast', ...kinds, '--exit-code'], { cwd: folder });
  expect(told.code).toBe(1);
  expect(told.stdout).toMatch(
    /round 1: which of \d+ lines in 2 files run in 3 requests: \d+ do\nround 2: the values of/,
  );
  expect(told.stdout).toMatch(
    /2 faulty against 4 good\ntables\.py:1: the row that was read: rate is 5 at tables\.py:4/,
  );
  expect(told.stdout).toMatch(/look there: amber attach [\w-]+ --break '.*tables\.py:4'/);

  // The trail that was written says the same again, by what was expected of the answers.
  const trail = /trail: (\S+)/.exec(told.stdout)?.[1] ?? '';
  expect(readFileSync(join(folder, trail), 'utf8')).toContain('"kind":"sent"');
  const again = await runAmber(['contrast', trail, '--json'], { cwd: folder });
  expect(recordsOf(again.stdout)[0]).toMatchObject({ ranked: record.ranked, rounds: 0 });
  const none = await runAmber(['contrast', trail, '--faulty-when', 'status >= 500'], { cwd: folder });
  expect(none.stdout).toContain('There is no faulty request');
});

it('one round is enough where it is said what to follow; a request that is both is told apart by its expect', async () => {
  const { folder } = await serve();
  const { stdout } = await runAmber(
    [
      'contrast',
      '--good',
      'single',
      'return-with-child',
      '--faulty',
      'return-with-child',
      '--follow',
      'quote',
      '--json',
    ],
    { cwd: folder },
  );
  expect(recordsOf(stdout)[0]).toMatchObject({ good: 1, faulty: 1, rounds: 1 });
});

it.each([
  [['contrast'], 'one kind is missing', '--good NAME --faulty NAME'],
  [['contrast', '--good', 'a'], 'one kind is missing', '--good NAME'],
  [['contrast', 'nothing.ndjson'], 'there is no trail', 'amber trace'],
  [['contrast', 'x.ndjson', '--faulty-when', 'rain'], 'is no comparison', 'status >= 500'],
  [['contrast', 'x.ndjson', '--formula', 'tea'], 'there is no formula tea', 'ochiai'],
])('%p: a sentence and a hint', async (args, sentence, hint) => {
  const { code, stdout, stderr } = await runAmber(args, { cwd: makeFolder({}) });
  expect(code).toBe(2);
  expect(stdout + stderr).toContain(sentence);
  expect(stdout + stderr).toContain(hint);
});

(mayTrace() ? it : it.skip)('a target that was not prepared takes part when that was agreed to', async () => {
  const folder = makeFolder({ 'app.py': APP, 'tables.py': TABLES });
  const program = new LineProgram(folder, 'python3', ['app.py'], { env: { ...process.env } });
  const port = await program.line('');
  const request = (back: boolean) => ({
    url: `http://127.0.0.1:${port}/`,
    body: { passengers: ['child'], back },
  });
  writeFileSync(
    join(folder, 'amber.yaml'),
    JSON.stringify({ requests: { single: request(false), back: request(true) } }),
  );
  const args = ['contrast', '--good', 'single', '--faulty', 'back', `${program.pid}`, '--json'];
  expect((await runAmber(args, { cwd: folder })).code).toBe(3);
  const { stdout } = await runAmber([...args, '--yes'], { cwd: folder });
  expect(recordsOf(stdout)[0]).toMatchObject({
    kind: 'contrast',
    good: 1,
    faulty: 1,
    parting: { line: 10, good: 13, faulty: 11 },
  });
});

it('without a target it looks only at what was started to be attached to', async () => {
  const { code, stderr, stdout } = await runAmber(
    ['contrast', '--good', 'GET :1/a', '--faulty', 'GET :1/b'],
    { cwd: makeFolder({}) },
  );
  expect({ code, told: stdout + stderr }).toEqual({
    code: 3,
    told: expect.stringMatching(/nothing runs here that was started through amber run\n.*TARGET/),
  });
});
