import type { Description } from '../../src/targets/description.js';
import { attachTo, useRunFolder } from '../support/attached.js';
import { endPrograms } from '../support/program.js';
import { Program, pythonWith } from '../support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const WSGI = `from wsgiref.simple_server import WSGIRequestHandler, make_server
class Quiet(WSGIRequestHandler):
    def log_message(self, *args):
        pass
def office(environ, start_response):
    start_response('202 Accepted', [('X-Desk', 'four'), ('Set-Cookie', 'token=pearl')])
    told = b'stamped'
    return [told]
server = make_server('127.0.0.1', 0, office, handler_class=Quiet)
print(server.server_port, flush=True)
server.serve_forever()
`;
const ASGI = `import socket, uvicorn
async def app(scope, receive, send):
    if scope['type'] == 'http':
        await send({'type': 'http.response.start', 'status': 202, 'headers': [(b'x-desk', b'four'), (b'set-cookie', b'token=pearl')]})
        told = b'stamped'
        await send({'type': 'http.response.body', 'body': told})
listening = socket.socket()
listening.bind(('127.0.0.1', 0))
print(listening.getsockname()[1], flush=True)
uvicorn.Server(uvicorn.Config(app, log_level='critical')).run([listening])
`;
const SERVERS: [string, string, string | undefined, number][] = [
  ['ASGI, under uvicorn', ASGI, pythonWith('uvicorn'), 6],
  ['WSGI, under wsgiref', WSGI, pythonWith('wsgiref'), 8],
];

describe.each(SERVERS)('what has been answered by then: %s', (_, source, python, line) => {
  (python ? it : it.skip)('is its status, and its headers once the program has given them', async () => {
    const program = new Program(python ?? '', source);
    const port = await program.line('');
    const attached = await attachTo(program.description(runFolder()) as Description);
    await attached.mark(program.file, line);
    const answer = fetch(`http://127.0.0.1:${port}/slips`);
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    const scopes = await stop.scopes(frame?.id ?? 0);
    const response = scopes.find(({ name }) => name === 'Response');
    const parts = await stop.variables(response?.variablesReference ?? 0);
    const told = Object.fromEntries(parts.map(({ name, value }) => [name, value]));
    expect(told).toMatchObject({ status: '202' });
    const headers = parts.find(({ name }) => name === 'headers');
    expect(headers?.value).toContain("'x-desk': 'four'");
    expect(JSON.stringify(parts)).not.toContain('pearl');
    await stop.resume();
    expect(await (await answer).text()).toBe('stamped');
    await attached.session.detach();
  });
});
