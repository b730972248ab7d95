// What it costs a service when the lines of a handler are recorded: which of them run (the first round of a contrast), and
// what they change (its second round, and `--follow`); and what that costs other requests.

import { inTurn } from './programs.mjs';
import { load, serve, traceOf } from './trace.mjs';

const REQUESTS = 200;
/** Lines that one request to /quote runs: 10 passes of the loop in the function, and those around it. */
const LINES = 202;
const NO_LIMIT = 100_000_000;

/** `/quote` runs some 200 lines, `/` none of them. */
const SERVERS = {
  python: {
    file: 'app.py',
    command: ['python3', 'app.py'],
    first: 'legs = []',
    last: 'return total',
    text: `from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
class Handler(BaseHTTPRequestHandler):
    protocol_version = 'HTTP/1.1'
    disable_nagle_algorithm = True
    def do_GET(self):
        body = b'%d' % (quote({'trip': 'Tarrin', 'seats': 4, 'kind': 'return'}) if 'quote' in self.path else 0)
        self.send_response(200)
        self.send_header('Content-Length', str(len(body)))
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
def quote(order):
    legs = []
    total = 0
    for n in range(10):
        leg = {'from': order['trip'], 'miles': n}
        seats = order['seats']
        single = seats * 9
        rate = 2 if leg['miles'] > 4 else 1
        if rate == 2:
            single = single - 1
        else:
            single = single + 0
        name = order['trip']
        kind = order['kind']
        is_return = kind == 'return'
        back = single if is_return else 0
        fare = single + back
        discount = 0
        if seats > 8:
            discount = fare // 10
        fare = fare - discount
        legs.append(leg)
        total = total + fare
        label = name + kind
        last = len(label)
    total = total + 0
    return total
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
server.daemon_threads = True
print('http://127.0.0.1:%d' % server.server_address[1], flush=True)
server.serve_forever()
`,
  },
  node: {
    file: 'app.js',
    command: [process.execPath, 'app.js'],
    first: 'const legs = [];',
    last: 'return total;',
    text: `const http = require('node:http');
function quote(order) {
  const legs = [];
  let total = 0;
  for (let n = 0; n < 10; n += 1) {
    const leg = { from: order.trip, miles: n };
    const seats = order.seats;
    let single = seats * 9;
    const rate = leg.miles > 4 ? 2 : 1;
    if (rate === 2) {
      single = single - 1;
    } else {
      single = single + 0;
    }
    const name = order.trip;
    const kind = order.kind;
    const isReturn = kind === 'return';
    const back = isReturn ? single : 0;
    let fare = single + back;
    let discount = 0;
    if (seats > 8) {
      discount = Math.floor(fare / 10);
    }
    fare = fare - discount;
    legs.push(leg);
    total = total + fare;
    const label = name + kind;
    order.last = label.length;
  }
  total = total + 0;
  return total;
}
const server = http.createServer((request, response) => {
  const isQuote = request.url.includes('quote');
  response.end(String(isQuote ? quote({ trip: 'Tarrin', seats: 4, kind: 'return' }) : 0));
});
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`,
  },
  ruby: {
    file: 'app.rb',
    command: ['ruby', 'app.rb'],
    first: 'legs = []',
    last: '  total\n',
    text: `$stdout.sync = true
require 'webrick'
def quote(order)
  legs = []
  total = 0
  10.times do |n|
    leg = { from: order[:trip], miles: n }
    seats = order[:seats]
    single = seats * 9
    rate = leg[:miles] > 4 ? 2 : 1
    if rate == 2
      single = single - 1
    else
      single = single + 0
    end
    name = order[:trip]
    kind = order[:kind]
    is_return = kind == 'return'
    back = is_return ? single : 0
    fare = single + back
    discount = 0
    if seats > 8
      discount = fare / 10
    end
    fare = fare - discount
    legs << leg
    total = total + fare
    label = name + kind
    last = label.size
  end
  total = total + 0
  total
end
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/') do |request, response|
  response.body = (request.path == '/quote' ? quote({ trip: 'Tarrin', seats: 4, kind: 'return' }) : 0).to_s
end
puts "http://127.0.0.1:#{server.config[:Port]}"
server.start
`,
  },
  php: {
    file: 'index.php',
    command: ['php', '-S', '127.0.0.1:0'],
    first: '$legs = [];',
    last: 'return $total;',
    text: `<?php
function quote(array $order): int
{
    $legs = [];
    $total = 0;
    for ($n = 0; $n < 10; $n++) {
        $leg = ['from' => $order['trip'], 'miles' => $n];
        $seats = $order['seats'];
        $single = $seats * 9;
        $rate = $leg['miles'] > 4 ? 2 : 1;
        if ($rate === 2) {
            $single = $single - 1;
        } else {
            $single = $single + 0;
        }
        $name = $order['trip'];
        $kind = $order['kind'];
        $isReturn = $kind === 'return';
        $back = $isReturn ? $single : 0;
        $fare = $single + $back;
        $discount = 0;
        if ($seats > 8) {
            $discount = intdiv($fare, 10);
        }
        $fare = $fare - $discount;
        $legs[] = $leg;
        $total = $total + $fare;
        $label = $name . $kind;
        $last = strlen($label);
    }
    $total = $total + 0;
    return $total;
}
echo $_SERVER['REQUEST_URI'] === '/quote' ? quote(['trip' => 'Tarrin', 'seats' => 4, 'kind' => 'return']) : 0;
`,
  },
};

/** The numbers of the lines of the handler that can be marked. */
function linesOf({ text, first, last }) {
  const from = text.slice(0, text.indexOf(first)).split('\n').length;
  const to = text.slice(0, text.lastIndexOf(last)).split('\n').length;
  const isCode = (line) => /\w/.test(line) && !/^\s*(?:\}\s*)?(?:else|end)\b/.test(line);
  const lines = text.split('\n');
  return Array.from({ length: to - from + 1 }, (_, index) => from + index).filter((line) =>
    isCode(lines[line - 1]),
  );
}

/** @param rounds how often each is timed, in turn */
export async function recordingRows(row, rounds, language, runtime) {
  const server = SERVERS[language];
  const [bare, counted, followed] = await Promise.all([
    serve(server, false, false),
    serve(server, false, true, NO_LIMIT),
    serve(server, false, true, NO_LIMIT),
  ]);
  const counters = linesOf(server).map((line) => ['--count', `${server.file}:${line}`]);
  const counts = await traceOf(counted, counters.flat());
  const values = await traceOf(followed, ['--follow', 'quote']);
  const times = await inTurn(
    [
      [bare, '/quote'],
      [counted, '/quote'],
      [followed, '/quote'],
      [bare, '/'],
      [followed, '/'],
    ].map(([{ url }, path]) => async () => {
      const began = performance.now();
      await load(url, REQUESTS, path);
      return (performance.now() - began) / 1000;
    }),
    rounds,
  );
  const [one, first, second, other, beside] = times;
  const told = (seconds) =>
    `${(seconds / one).toFixed(2)}x (${(((seconds - one) / REQUESTS / LINES) * 1e6).toFixed(1)} µs a line)`;
  row('a handler of 200 lines of which is recorded which run, to bare', runtime, told(first), '1.5x');
  row('the same, of which is recorded what they change', runtime, told(second), '3x');
  row('another request meanwhile, to bare', runtime, `${(beside / other).toFixed(2)}x`, '1.0x');
  await counts.stop();
  await values.stop();
  for (const service of [bare, counted, followed]) service.stop();
}
