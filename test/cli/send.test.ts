import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { recordsOf, runAmber } from '../support/amber.js';
import { makeFolder } from '../support/program.js';

interface Seen {
  method: string | undefined;
  url: string | undefined;
  headers: IncomingMessage['headers'];
  body: string;
}

describe('amber send', () => {
  const seen: Seen[] = [];
  let server: Server;
  let base: string;

  beforeAll(async () => {
    server = createServer(async (request, response) => {
      let body = '';
      for await (const chunk of request) {
        body += chunk;
      }
      seen.push({ method: request.method, url: request.url, headers: request.headers, body });
      response.setHeader('content-type', 'application/json');
      response.end(JSON.stringify({ total: request.url === '/faulty' ? -4 : 4 }));
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    base = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => {
    server.close();
  });
  beforeEach(() => {
    seen.length = 0;
  });

  const project = (path: string) =>
    makeFolder({
      'amber.yaml': `requests:\n  quote:\n    url: http://${base}${path}\n    headers: { X-Desk: one }\n    body: { from: Holm }\n    expect: { status: 200, body: ["/total > 0"] }\n`,
    });

  it('sends a request of amber.yaml, with a trace context, and says whether the answer is good', async () => {
    const good = await runAmber(['send', 'quote'], { cwd: project('/good') });
    expect(good.code).toBe(0);
    expect(good.stdout).toMatch(/◂ POST http.*\/good {2}200[\s\S]*\{"total":4\}[\s\S]*good: as expected/);
    expect(seen[0]).toMatchObject({ method: 'POST', body: '{"from":"Holm"}' });
    expect(seen[0]?.headers).toMatchObject({
      'x-desk': 'one',
      'content-type': 'application/json',
      traceparent: expect.stringMatching(/^00-[0-9a-f]{32}-[0-9a-f]{16}-01$/),
    });
    const faulty = await runAmber(
      ['send', 'quote', '--json', '--header', 'X-Desk: two', '--data', '{"to":1}'],
      {
        cwd: project('/faulty'),
      },
    );
    expect(faulty.code).toBe(1);
    expect(recordsOf(faulty.stdout)).toMatchObject([
      {
        kind: 'response',
        status: 200,
        faults: ['/total is -4, not > 0'],
        traceparent: seen[1]?.headers.traceparent,
      },
    ]);
    expect(seen[1]).toMatchObject({ body: '{"to":1}', headers: { 'x-desk': 'two' } });
  });

  it('sends one that is given in full', async () => {
    const cwd = makeFolder({ 'body.txt': 'a body' });
    expect((await runAmber(['send', `${base}/plain`], { cwd })).stdout).toContain(`GET http://${base}/plain`);
    await runAmber(['send', 'put', `${base}/file`, '--data', '@body.txt'], { cwd });
    await runAmber(['send', `${base}/form`, '--form', 'name=Ada Quill', '--form', 'deck=2'], { cwd });
    expect(seen.map(({ method, url, body }) => [method, url, body])).toEqual([
      ['GET', '/plain', ''],
      ['PUT', '/file', 'a body'],
      ['POST', '/form', 'name=Ada+Quill&deck=2'],
    ]);
    expect(seen[2]?.headers['content-type']).toBe('application/x-www-form-urlencoded');
  });

  it.each([
    [['nothing'], 2, 'amber.yaml has no request nothing'],
    [['GET', 'localhost:1/x'], 1, 'no response'],
    [['localhost:1', '--header', 'oops'], 2, '"oops" is no header'],
    [['localhost:1', '--form', 'oops'], 2, '"oops" is no field'],
    [['localhost:1', '--data', '@none.txt'], 2, 'none.txt cannot be read'],
    [['localhost:1', '--data', 'x', '--form', 'a=b'], 2, 'two bodies'],
  ])('answers %j with %i and a sentence', async (args, code, text) => {
    const result = await runAmber(['send', ...args], { cwd: makeFolder({}) });
    expect(result.code).toBe(code);
    expect(result.stdout + result.stderr).toContain(text);
  });

  it('names the line of an expectation that cannot be read', async () => {
    const cwd = makeFolder({
      'amber.yaml':
        'requests:\n  quote:\n    url: http://localhost:1\n    expect:\n      body: ["/total ~ 3"]\n',
    });
    const { code, stderr } = await runAmber(['send', 'quote'], { cwd });
    expect(code).toBe(2);
    expect(stderr).toMatch(/amber\.yaml.*5.*"\/total ~ 3" is no comparison/s);
  });
});
