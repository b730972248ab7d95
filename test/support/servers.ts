import { type Attached, attachTo } from './attached.js';
import { NodeProgram } from './node.js';
import type { LineProgram } from './program.js';
import { Program, pythons, pythonWith } from './python.js';
import { RubyProgram, rubyHas } from './ruby.js';

/**
 * Which request a hit belongs to, in each server that we know. Every handler calls `work` with the value of the
 * header `x-number`, at once and after something else has had its turn; the request's own target has the number too.
 */
export interface Server {
  name: string;
  /** A test of it, skipped where this machine does not have it; in CI that is a failure. */
  test: jest.It;
  start(
    runFolder: string,
    attach?: Record<string, unknown>,
  ): Promise<{ program: LineProgram; base: string; attached: Attached }>;
  file: string;
  source: string;
}

// Each program also works by itself all the while, for no request.
const PYTHON_WORK = `import threading, time
def work(number):
    told = number
    return told
def alone():
    while True:
        work('alone')
        time.sleep(0.01)
threading.Thread(target=alone, daemon=True).start()
`;
const RUBY_WORK = `def work(number)
  told = number
  told
end
Thread.new do
  loop do
    work('alone')
    sleep 0.01
  end
end
`;
const NODE_WORK = `function work(number) {
  const told = number;
  return told;
}
setInterval(() => work('alone'), 10);
module.exports = { work };
`;

const STANDARD = `
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from work import work
import time
class Handler(BaseHTTPRequestHandler):
    protocol_version = 'HTTP/1.1'
    disable_nagle_algorithm = True
    def do_GET(self):
        work(self.headers['x-number'])
        time.sleep(0.001)
        body = work(self.headers['x-number']).encode()
        self.send_response(200)
        self.send_header('Content-Length', str(len(body)))
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
server.daemon_threads = True
print('http://127.0.0.1:%d' % server.server_address[1], flush=True)
server.serve_forever()
`;
const FLASK = `
import logging, time
from flask import Flask, request
from werkzeug.serving import make_server
from work import work
logging.getLogger('werkzeug').setLevel(logging.ERROR)
app = Flask(__name__)
@app.get('/<path:anything>')
def answer(anything):
    work(request.headers['x-number'])
    time.sleep(0.001)
    return work(request.headers['x-number'])
server = make_server('127.0.0.1', 0, app, threaded=True)
print('http://127.0.0.1:%d' % server.server_port, flush=True)
server.serve_forever()
`;
const ASGI = `import asyncio, socket
from work import work
async def inner(number):
    await asyncio.sleep(0.001)
    return work(number)
async def app(scope, receive, send):
    number = dict(scope['headers'])[b'x-number'].decode()
    work(number)
    body = (await asyncio.create_task(inner(number))).encode()
    await send({'type': 'http.response.start', 'status': 200, 'headers': [(b'content-length', b'%d' % len(body))]})
    await send({'type': 'http.response.body', 'body': body})
listening = socket.socket()
listening.bind(('127.0.0.1', 0))
listening.listen()
def tell():
    print('http://127.0.0.1:%d' % listening.getsockname()[1], flush=True)
`;
const UVICORN = `
import uvicorn
${ASGI}config = uvicorn.Config(app, log_level='error', lifespan='off')
# What serves is loaded now, and not only after the address is told.
config.load()
server = uvicorn.Server(config)
tell()
asyncio.run(server.serve(sockets=[listening]))
`;
const HYPERCORN = `
from hypercorn.asyncio import serve
from hypercorn.config import Config
${ASGI}config = Config()
config.bind = ['fd://%d' % listening.fileno()]
config.errorlog = None
tell()
asyncio.run(serve(app, config))
`;
const DAPHNE = `
from daphne.server import Server
${ASGI}tell()
Server(application=app, endpoints=['fd:fileno=%d' % listening.fileno()], signal_handlers=False).run()
`;
const WSGI = `def app(environ, start_response):
    work(environ['HTTP_X_NUMBER'])
    time.sleep(0.001)
    body = work(environ['HTTP_X_NUMBER']).encode()
    start_response('200 OK', [('Content-Length', str(len(body)))])
    return [body]
`;
/** One worker of a master, which says its own number. */
const gunicorn = (worker: string) => `
import os, time
from gunicorn.app.base import BaseApplication
${WSGI}def ready(worker):
    # Its thread is to be the worker's own.
    global work
    from work import work
    print('http://127.0.0.1:%d pid %d' % (worker.sockets[0].sock.getsockname()[1], os.getpid()), flush=True)
class Office(BaseApplication):
    def load_config(self):
        self.cfg.set('bind', ['127.0.0.1:0'])
        self.cfg.set('worker_class', '${worker}')
        self.cfg.set('threads', 4)
        self.cfg.set('timeout', 3600)
        self.cfg.set('loglevel', 'critical')
        self.cfg.set('post_worker_init', ready)
    def load(self):
        return app
Office().run()
`;
const WAITRESS = `
import time
from waitress.server import create_server
from work import work
${WSGI}server = create_server(app, host='127.0.0.1', port=0, threads=8)
print('http://127.0.0.1:%d' % int(server.effective_port), flush=True)
server.run()
`;
const AIOHTTP = `
import asyncio, socket
from aiohttp import web
from work import work
async def answer(request):
    number = request.headers['x-number']
    work(number)
    await asyncio.sleep(0.001)
    return web.Response(text=work(number))
app = web.Application()
app.router.add_get('/{anything:.*}', answer)
listening = socket.socket()
listening.bind(('127.0.0.1', 0))
print('http://127.0.0.1:%d' % listening.getsockname()[1], flush=True)
web.run_app(app, sock=listening, print=None, access_log=None)
`;
const TORNADO = `
import asyncio
from tornado.httpserver import HTTPServer
from tornado.netutil import bind_sockets
from tornado.web import Application, RequestHandler
from work import work
class Answer(RequestHandler):
    async def get(self):
        number = self.request.headers['x-number']
        work(number)
        await asyncio.sleep(0.001)
        self.write(work(number))
async def main():
    sockets = bind_sockets(0, '127.0.0.1')
    HTTPServer(Application([('/.*', Answer)])).add_sockets(sockets)
    print('http://127.0.0.1:%d' % sockets[0].getsockname()[1], flush=True)
    await asyncio.Event().wait()
import logging
logging.getLogger('tornado.access').setLevel(logging.CRITICAL)
asyncio.run(main())
`;
const NODE_HTTP = `
const http = require('node:http');
const { work } = require('./work.js');
const server = http.createServer(async (request, response) => {
  const number = request.headers['x-number'];
  work(number);
  await new Promise((done) => setTimeout(done, 1));
  await null;
  response.end(work(number));
});
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`;
const EXPRESS = `
const express = require(${JSON.stringify(require.resolve('express'))});
const { work } = require('./work.js');
const app = express();
app.get('*', (request, response, next) => {
  work(request.headers['x-number']);
  setImmediate(next);
}, async (request, response) => {
  await new Promise((done) => process.nextTick(done));
  response.send(work(request.headers['x-number']));
});
const server = app.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`;
const SINATRA = `$stdout.sync = true
require 'sinatra/base'
require_relative 'work'
class App < Sinatra::Base
  set :environment, :production
  set :logging, false
  get('/*') do
    work(request.env['HTTP_X_NUMBER'])
    sleep 0.001
    work(request.env['HTTP_X_NUMBER'])
  end
end
`;
const PUMA = "$stdout.sync = true\nthreads 4, 8\nbind 'tcp://127.0.0.1:0'\nlog_requests false\n";
const WEBRICK = `$stdout.sync = true
require 'webrick'
require_relative 'work'
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/') do |request, response|
  work(request['x-number'])
  sleep 0.001
  response.body = work(request['x-number'])
end
puts "http://127.0.0.1:#{server.config[:Port]}"
server.start
`;

const addressOf = (line: string) => /http:\/\/127\.0\.0\.1:\d+/.exec(line)?.[0] ?? '';

type Started = Pick<Server, 'test' | 'start'>;

function python(module: string, app: string, version?: string): Started {
  const path = version ?? pythonWith(module);
  return {
    test: path === undefined ? it.skip : it,
    start: async (runFolder, attach) => {
      const program = new Program(path ?? '', app, { 'work.py': PYTHON_WORK });
      const said = await program.line('http:');
      const base = addressOf(said);
      // A worker of a master says its number.
      const pid = Number(/ pid (\d+)/.exec(said)?.[1] ?? program.pid);
      const description = program.description(runFolder, pid);
      const attached = await attachTo(description as NonNullable<typeof description>, attach);
      return { program, base, attached };
    },
  };
}

function node(app: string): Started {
  return {
    test: it,
    start: async (_runFolder, attach) => {
      const program = new NodeProgram(app, 'app.js', { 'work.js': NODE_WORK });
      const base = addressOf(await program.line('http:'));
      return { program, base, attached: await program.attach(attach) };
    },
  };
}

function ruby(libraries: string[], app: string, files: Record<string, string>, args: string[]): Started {
  return {
    test: rubyHas(...libraries) ? it : it.skip,
    start: async (runFolder, attach) => {
      const program = new RubyProgram(app, { 'work.rb': RUBY_WORK, ...files }, { args });
      const base = addressOf(await program.line('http:'));
      return { program, base, attached: await program.attach(runFolder, attach) };
    },
  };
}

const rackup = { 'config.ru': "require_relative 'app'\nrun App\n", 'puma.rb': PUMA };
export const servers: Server[] = [
  { name: 'http.server', ...python('http.server', STANDARD), file: 'work.py', source: PYTHON_WORK },
  ...[pythons()[0], pythons().at(-1)].map((found) => ({
    name: `http.server of Python ${found?.version}`,
    ...python('http.server', STANDARD, found?.path),
    file: 'work.py',
    source: PYTHON_WORK,
  })),
  { name: 'Flask', ...python('flask', FLASK), file: 'work.py', source: PYTHON_WORK },
  { name: 'uvicorn', ...python('uvicorn', UVICORN), file: 'work.py', source: PYTHON_WORK },
  { name: 'gunicorn', ...python('gunicorn', gunicorn('sync')), file: 'work.py', source: PYTHON_WORK },
  {
    name: 'gunicorn with threads',
    ...python('gunicorn', gunicorn('gthread')),
    file: 'work.py',
    source: PYTHON_WORK,
  },
  { name: 'waitress', ...python('waitress', WAITRESS), file: 'work.py', source: PYTHON_WORK },
  { name: 'aiohttp', ...python('aiohttp', AIOHTTP), file: 'work.py', source: PYTHON_WORK },
  { name: 'tornado', ...python('tornado', TORNADO), file: 'work.py', source: PYTHON_WORK },
  { name: 'hypercorn', ...python('hypercorn', HYPERCORN), file: 'work.py', source: PYTHON_WORK },
  { name: 'daphne', ...python('daphne.server', DAPHNE), file: 'work.py', source: PYTHON_WORK },
  { name: 'node:http', ...node(NODE_HTTP), file: 'work.js', source: NODE_WORK },
  { name: 'Express', ...node(EXPRESS), file: 'work.js', source: NODE_WORK },
  {
    name: 'Sinatra under puma',
    ...ruby(['sinatra/base', 'puma'], SINATRA, rackup, ['-S', 'puma', '-C', 'puma.rb', '-e', 'production']),
    file: 'work.rb',
    source: RUBY_WORK,
  },
  { name: 'WEBrick', ...ruby(['webrick'], WEBRICK, {}, ['app.rb']), file: 'work.rb', source: RUBY_WORK },
];
