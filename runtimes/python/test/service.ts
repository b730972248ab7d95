import { labelled, type Runtime } from '../../../conformance/fixture.js';
import { attachTo } from '../../../test/support/attached.js';
import { Program, pythons } from '../../../test/support/python.js';

const SOURCE = `import sys
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlparse

def fare(n):
    total = n * 3      # [total]
    # [remark]
    twice = total * 2  # [twice]
    return twice       # [back]

def quote(n):
    first = fare(n)    # [call]
    return first + 1   # [after]

def round_trip(n):
    length = 0
    for leg in range(n):
        length += leg  # [leg]
    return length

def tide(n):
    raise ValueError("tide")  # [raise]

def caught(n):
    try:
        return tide(n)
    except ValueError:
        return n

def inside(n):
    try:
        raise ValueError("tide")  # [inside]
    except ValueError:
        return n

def late(n):
    import later
    return later.arrives(n)

def named(n):
    request = n + 1
    return request  # [own]

def printed(n):
    print("on deck %d" % n, flush=True)
    return n

double = lambda fee: fee * 2  # [double]

def least(n):
    return sorted([n * 3, n, n * 2], key=lambda fee: fee)[0]  # [least]

ROUTES = {"/double": double, "/least": least, "/quote": quote, "/round": round_trip, "/caught": caught, "/inside": inside, "/named": named, "/late": late, "/printed": printed}

class Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def do_GET(self):
        address = urlparse(self.path)
        n = int(parse_qs(address.query)["n"][0])
        body = str(ROUTES[address.path](n)).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *args):
        pass

server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
print(server.server_address[1], flush=True)
server.serve_forever()
`;
const LATER = `def arrives(n):
    tide = n + 40  # [arrives]
    return tide
`;

export const python: Runtime = {
  name: 'python',
  words: {
    variable: (name) => name,
    request: (part) => `request.${part}`,
    failing: 'nothing.here',
    error: 'ValueError',
  },
  isHere: () => pythons().length > 0,
  async start(runFolder) {
    const newest = pythons().at(-1)?.path ?? 'python3';
    const program = new Program(newest, SOURCE, { 'later.py': LATER });
    const port = await program.line('');
    return {
      file: program.file,
      lineOf: (label) => labelled(SOURCE, label),
      attach: async (args) => {
        const description = program.description(runFolder);
        if (description === undefined) {
          throw new Error(`no description: ${program.stderr}`);
        }
        return await attachTo(description, args);
      },
      get: async (path, headers = {}) =>
        await (await fetch(`http://127.0.0.1:${port}${path}`, { headers })).text(),
      end: () => program.end(),
    };
  },
  impossible: {},
};
