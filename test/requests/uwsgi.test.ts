import { spawnSync } from 'node:child_process';
import { python } from '../../runtimes/python/runtime.js';
import { recordsOf, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { endPrograms, LineProgram, makeFolder } from '../support/program.js';
import { mayTrace } from '../support/tracing.js';

const OFFICE = `
import os, socket, uwsgi
def quote(number):
    told = number * 2
    return told
class Office:
    def __call__(self, environ, start_response):
        number = int(environ['QUERY_STRING'])
        if number == 3:
            start_response('404 Not Found', [])
            return self.pieces(number)
        start_response('200 OK', [])
        return [b'%d' % quote(number)]
    def pieces(self, number):
        yield b'%d' % quote(number)
application = Office()
listening = socket.socket(fileno=os.dup(uwsgi.sockets[0]))
print('http://127.0.0.1:%d' % listening.getsockname()[1], flush=True)
`;
const isThere = spawnSync('uwsgi', ['--plugin', 'python3', '--version']).status === 0;
if (!isThere && process.env.CI) {
  throw new Error('no uWSGI with its plugin for Python was found');
}

describe('a server in C that holds the interpreter', () => {
  useRunFolder();
  afterEach(endPrograms);

  (isThere && mayTrace() ? it : it.skip)(
    'is attached to from outside, also where it was prepared, and its requests are known',
    async () => {
      const options =
        '--plugin python3 --http-socket 127.0.0.1:0 --enable-threads --threads 4 --disable-logging --die-on-term';
      // What programs print it sends to its standard error.
      const command = `exec uwsgi ${options} --wsgi-file office.py 2>&1`;
      const program = new LineProgram(makeFolder({ 'office.py': OFFICE }), 'sh', ['-c', command], {
        env: { ...process.env, ...python.prepare(process.env) },
      });
      const base = /http:\S+/.exec(await program.line('http:'))?.[0] ?? '';
      const amber = startAmber(
        ['trace', `${program.pid}`, '--yes', '--json', '--log', 'office.py:5 "{told}"', '--requests', '8'],
        { cwd: program.folder },
      );
      await amber.shows('"kind":"marks"');
      const numbers = Array.from({ length: 8 }, (_, index) => index);
      const answers = numbers.map(async (number) => await (await fetch(`${base}/?${number}`)).text());
      expect(await Promise.all(answers)).toEqual(numbers.map((number) => `${number * 2}`));
      const { stdout } = await amber.ended;
      const records = recordsOf(stdout);
      const hits = records.flatMap((record) => (record.kind === 'hit' ? [record] : []));
      expect(hits.map(({ request, text }) => [request?.target, text]).sort()).toEqual(
        numbers.map((number) => [`/?${number}`, `${number * 2}`]),
      );
      const served = records.flatMap((record) => (record.kind === 'served' ? [record] : []));
      expect(served.map(({ request, status }) => [request?.target, status]).sort()).toEqual(
        numbers.map((number) => [`/?${number}`, number === 3 ? 404 : 200]),
      );
    },
  );
});
