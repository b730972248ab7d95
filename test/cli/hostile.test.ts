import { connect } from 'node:net';
import { join } from 'node:path';
import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { makeFolder } from '../support/program.js';
import { Program, pythons } from '../support/python.js';

useRunFolder();

/** Clears the screen, sets a title, turns text round, hides a character. */
const HOSTILE = '\x1b[2J\x1b]0;owned\x07\x9b1m\u202e\u200b\r';
/** Controls but the line end, and what nobody sees. */
// biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
const HIDDEN = /[\x00-\x08\x0b-\x1f\x7f-\x9f\u200b\u202e]/;

const SERVICE = `import sys
from http.server import BaseHTTPRequestHandler, HTTPServer
hostile = ${JSON.stringify(HOSTILE)}
class Shown:
    def __repr__(self):
        return 'shown' + hostile
Odd = type('Odd' + hostile, (Exception,), {})
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        shown = Shown()
        text = 'text' + hostile
        named = {'key' + hostile: 1}
        print('printed' + hostile, flush=True)
        try:
            raise Odd('message' + hostile)
        except Odd as error:
            self.send_error(500, str(type(error)).split(hostile)[0])
    def log_message(self, *args):
        pass
server = HTTPServer(('127.0.0.1', 0), Handler)
print('ready', server.server_port, flush=True)
server.serve_forever()
`;
const LINE = SERVICE.split('\n').findIndex((line) => line.includes("print('printed'")) + 1;

/** A request as no library would send it. */
async function ask(port: number): Promise<void> {
  const socket = connect(port, '127.0.0.1');
  socket.end(`GET /a${HOSTILE.replace('\r', '')} HTTP/1.0\r\n\r\n`, 'latin1');
  await new Promise((done) => socket.resume().once('close', done));
}

it('what a program and its clients say cannot act on the terminal of whoever debugs it', async () => {
  const python = pythons().at(-1)?.path ?? 'python3';
  const program = new Program(python, SERVICE);
  const port = Number((await program.line('ready')).split(' ')[1]);
  const trail = join(program.folder, 'trail.ndjson');
  const coloured = { cwd: program.folder, env: { FORCE_COLOR: '1' } };
  const amber = startAmber(['attach', `${program.pid}`], coloured);
  await amber.shows('attached');
  amber.type(`break app.py:${LINE}\nbreak error\nlog app.py:${LINE} "{text} {shown}"\n`);
  await amber.shows('mark 3');
  const asked = ask(port);
  await amber.shows('next ▸');
  const from = amber.stdout.length;
  amber.type(
    'stack\nvars\nvars --table\n= shown\n= text\nopen named\nwatch shown\n= nothing_there\nresume\n',
  );
  await amber.shows('message', from);
  amber.type('vars\nresume\ndetach\n');
  await asked;
  const { stdout, stderr } = await amber.ended;

  const traced = startAmber(
    ['trace', `${program.pid}`, '--log', `app.py:${LINE} "{text} {shown}"`, '--trail', trail, '--hits'],
    coloured,
  );
  await traced.shows('attached');
  await traced.shows('mark 1');
  await ask(port);
  await traced.shows('text␛');
  traced.child.kill('SIGINT');
  const trace = await traced.ended;
  const report = await runAmber(['report', trail], coloured);
  const csv = await runAmber(['report', trail, '--json'], coloured);

  for (const [name, text] of Object.entries({
    stdout,
    stderr,
    trace: trace.stdout + trace.stderr,
    report: report.stdout,
    json: csv.stdout,
  })) {
    // biome-ignore lint/suspicious/noControlCharactersInRegex: what is ours is taken away first
    const foreign = text.replace(/\x1b\[\d+m/g, '');
    expect({ name, hidden: HIDDEN.exec(foreign)?.[0] ?? null }).toEqual({ name, hidden: null });
  }
  expect(stdout).toContain('shown␛[2J␛]0;owned␇‹009B›1m‹202E›‹200B›');
  expect(stdout).toMatch(/GET \/a␛\[2J/);
  await program.end();
});

it('a file of the project cannot either, nor an argument', async () => {
  const folder = makeFolder({ 'amber.yaml': '"odd\\e[2J": 1\n' });
  const { stderr } = await runAmber(['attach'], { cwd: folder });
  expect(stderr).toContain('odd␛[2J');
  expect(HIDDEN.exec(stderr)).toBeNull();
  const odd = await runAmber(['attach', `odd${HOSTILE}`], { cwd: makeFolder({}) });
  expect(odd.stderr).toContain('nothing runs here that is called');
  expect(HIDDEN.exec(odd.stdout + odd.stderr)).toBeNull();
});
