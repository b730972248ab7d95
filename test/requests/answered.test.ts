import { connect } from 'node:http2';
import { useRunFolder } from '../support/attached.js';
import { endPrograms } from '../support/program.js';
import { nodeService, pythonService, type StartService, underUvicorn } from '../support/services.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const WSGI = `from wsgiref.simple_server import WSGIRequestHandler, make_server
class Quiet(WSGIRequestHandler):
    def log_message(self, *args):
        pass
def office(environ, start_response):
    start_response('202 Accepted', [('X-Desk', 'four'), ('Set-Cookie', 'token=pearl')])
    yield b'stam'
    told = b'ped'
    yield told
server = make_server('127.0.0.1', 0, office, handler_class=Quiet)
print(server.server_port, flush=True)
server.serve_forever()
`;
const ASGI = underUvicorn(`async def app(scope, receive, send):
    if scope['type'] == 'http':
        await send({'type': 'http.response.start', 'status': 202, 'headers': [(b'x-desk', b'four'), (b'set-cookie', b'token=pearl')]})
        await send({'type': 'http.response.body', 'body': b'stam', 'more_body': True})
        told = b'ped'
        await send({'type': 'http.response.body', 'body': told})
`);
const node = (
  module: string,
) => `const server = require('node:${module}').createServer((request, response) => {
  response.statusCode = 202;
  response.setHeader('x-desk', 'four');
  response.setHeader('set-cookie', 'token=pearl');
  response.write(Buffer.from('st'));
  response.write('am');
  const told = 'ped';
  response.end(told);
}).listen(0, '127.0.0.1', () => console.log(server.address().port));
`;

async function askHttp2(url: string): Promise<string> {
  const client = connect(url);
  const stream = client.request({ ':path': '/slips' });
  const text = await stream.setEncoding('utf8').toArray();
  client.close();
  return text.join('');
}

const fetched = async (url: string) => (await fetch(url)).text();
const SERVICES: { name: string; source: string; start: StartService; ask?: typeof fetched }[] = [
  { name: 'ASGI, under uvicorn', source: ASGI, start: pythonService('uvicorn', ASGI) },
  { name: 'WSGI, under wsgiref', source: WSGI, start: pythonService('wsgiref', WSGI) },
  { name: 'node:http', source: node('http'), start: nodeService(node('http')) },
  { name: 'node:http2', source: node('http2'), start: nodeService(node('http2')), ask: askHttp2 },
];

describe.each(SERVICES)('what has been answered by then: $name', ({ source, start, ask = fetched }) => {
  const line = source.split('\n').findIndex((text) => text.includes('told = ')) + 1;

  (start ? it : it.skip)('is its status, its headers, and what is sent of its body', async () => {
    const { port, file, attached } = await (start as NonNullable<StartService>)(runFolder());
    await attached.mark(file, line);
    const url = `http://127.0.0.1:${port}/slips`;
    const answer = ask(url);
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    const scopes = await stop.scopes(frame?.id ?? 0);
    const response = scopes.find(({ name }) => name === 'Response');
    const parts = await stop.variables(response?.variablesReference ?? 0);
    const told = Object.fromEntries(parts.map(({ name, value }) => [name, value]));
    expect(told).toMatchObject({ status: '202', body: expect.stringMatching(/^['"]stam['"]$/) });
    const headers = parts.find(({ name }) => name === 'headers');
    expect(headers?.value).toMatch(/x-desk'?: ['"]four['"]/);
    expect(JSON.stringify(parts)).not.toContain('pearl');
    await stop.resume();
    expect(await answer).toBe('stamped');
    await attached.session.detach();
  });
});
