/** By runtime: a service that answers /N with twice N, its file, how it is started, and its lines to mark. */
export const SERVICES = {
  node: {
    file: 'service.js',
    source: `
const twice = (n) => {
  const value = n * 2;
  return value;
};
require('node:http').createServer(async (request, response) => {
  const n = Number(request.url.slice(1));
  await new Promise((done) => setTimeout(done, 2));
  const answer = twice(n);
  response.end(String(answer));
}).listen(Number(process.argv[2]), '127.0.0.1');
`,
    start: (port) => ['node', 'service.js', port],
  },
  python: {
    file: 'service.py',
    source: `
import sys
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
def twice(n):
    value = n * 2
    return value
class Handler(BaseHTTPRequestHandler):
    protocol_version = 'HTTP/1.1'
    def do_GET(self):
        n = int(self.path[1:])
        answer = twice(n)
        body = str(answer).encode()
        self.send_response(200)
        self.send_header('content-length', str(len(body)))
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
ThreadingHTTPServer(('127.0.0.1', int(sys.argv[1])), Handler).serve_forever()
`,
    start: (port) => ['python3', 'service.py', port],
  },
  ruby: {
    file: 'service.rb',
    source: `
require 'socket'
def twice(n)
  value = n * 2
  value
end
server = TCPServer.new('127.0.0.1', Integer(ARGV[0]))
loop do
  Thread.new(server.accept) do |socket|
    while (line = socket.gets)
      n = line.split[1][1..].to_i
      nil until socket.gets.strip.empty?
      answer = twice(n)
      body = answer.to_s
      socket.write("HTTP/1.1 200 OK\\r\\ncontent-length: #{body.bytesize}\\r\\n\\r\\n#{body}")
    end
  rescue SystemCallError
    nil
  ensure
    socket.close
  end
end
`,
    start: (port) => ['ruby', 'service.rb', port],
  },
  php: {
    file: 'service.php',
    source: `<?php
function twice(int $n): int {
    $value = $n * 2;
    return $value;
}
$n = (int) substr($_SERVER['REQUEST_URI'], 1);
$answer = twice($n);
echo $answer;
`,
    start: (port) => ['php', '-S', `127.0.0.1:${port}`, 'service.php'],
  },
};

/** The same served by two workers of one master; `amber` is attached to the processes that `targets` gives. */
const WORKERS = {
  node: {
    source: `const cluster = require('node:cluster');
if (cluster.isPrimary) {
  cluster.fork();
  cluster.fork();
} else {
  serve();
}
function serve() {
  ${SERVICES.node.source.trim().replaceAll('\n', '\n  ')}
}
`,
    targets: (master) => [master],
  },
  python: {
    source: SERVICES.python.source.replace(
      /^ThreadingHTTPServer.*$/m,
      `import os
server = ThreadingHTTPServer(('127.0.0.1', int(sys.argv[1])), Handler)
if os.fork() and os.fork():
    os.wait()
    os._exit(1)
server.serve_forever()`,
    ),
    targets: (_master, workers) => workers,
  },
  ruby: {
    source: SERVICES.ruby.source.replace(
      /^loop do$/m,
      `if fork && fork
  Process.wait
  exit! 1
end
loop do`,
    ),
    targets: (_master, workers) => workers,
  },
};
for (const [runtime, service] of Object.entries(WORKERS)) {
  SERVICES[`${runtime}-workers`] = { ...SERVICES[runtime], ...service, workers: 2 };
}
