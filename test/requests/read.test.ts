import type { Stop } from '../../src/core/session/stop.js';
import { type Attached, useRunFolder } from '../support/attached.js';
import { endPrograms } from '../support/program.js';
import { pythonService, rubyService, type StartService, underUvicorn } from '../support/services.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** Services with one handler each, that has read the body of its request when it comes to the line with `told`. */
const ASGI = underUvicorn(`async def app(scope, receive, send):
    if scope['type'] != 'http':
        return
    scope['session'] = {'desk': 'four', 'token': 'pearl'}
    more = True
    while more:
        more = (await receive()).get('more_body', False)
    await send({'type': 'http.response.start', 'status': 200, 'headers': [(b'content-type', b'text/plain')]})
    await send({'type': 'http.response.body', 'body': b'stam', 'more_body': True})
    told = b'ped'
    await send({'type': 'http.response.body', 'body': told})
`);
const FLASK = `from flask import Flask, request, session
from werkzeug.serving import make_server
import logging
logging.getLogger('werkzeug').disabled = True
app = Flask('desk')
app.secret_key = 'pearl'
@app.post('/slips')
def slips():
    read = (request.get_json() if request.is_json else request.form, request.files)
    told = 'stamped'
    return told
@app.before_request
def who():
    if 'x-session' in request.headers:
        session['desk'] = 'four'
server = make_server('127.0.0.1', 0, app)
print(server.server_port, flush=True)
server.serve_forever()
`;
const DJANGO = `import django
from django.conf import settings
settings.configure(SECRET_KEY='pearl', ROOT_URLCONF=__name__, ALLOWED_HOSTS=['*'],
    MIDDLEWARE=['django.contrib.sessions.middleware.SessionMiddleware'],
    SESSION_ENGINE='django.contrib.sessions.backends.signed_cookies')
django.setup()
from django.http import HttpResponse
from django.urls import path
def slips(request):
    read = request.body if 'json' in request.content_type else (request.POST, request.FILES)
    request.session.get('desk')
    told = 'stamped'
    return HttpResponse(told)
urlpatterns = [path('slips', slips)]
from django.core.wsgi import get_wsgi_application
from wsgiref.simple_server import WSGIRequestHandler, make_server
class Quiet(WSGIRequestHandler):
    def log_message(self, *args):
        pass
server = make_server('127.0.0.1', 0, get_wsgi_application(), handler_class=Quiet)
print(server.server_port, flush=True)
server.serve_forever()
`;
const WAITRESS = `import waitress
def office(environ, start_response):
    read = environ['wsgi.input'].read(4)
    start_response('200 OK', [])
    told = b'stamped'
    environ['wsgi.input'].read()
    return [told]
server = waitress.create_server(office, host='127.0.0.1', port=0)
print(server.effective_port, flush=True)
server.run()
`;
const AIOHTTP = `import socket
from aiohttp import web
async def slips(request):
    read = await (request.json() if 'json' in request.content_type else request.post())
    told = 'stamped'
    return web.Response(text=told)
app = web.Application()
app.router.add_post('/slips', slips)
listening = socket.socket()
listening.bind(('127.0.0.1', 0))
print(listening.getsockname()[1], flush=True)
web.run_app(app, sock=listening, print=None)
`;
const TORNADO = `import tornado.ioloop, tornado.web, tornado.httpserver, tornado.netutil
class Slips(tornado.web.RequestHandler):
    def post(self):
        told = 'stamped'
        self.finish(told)
server = tornado.httpserver.HTTPServer(tornado.web.Application([('/slips', Slips)]))
sockets = tornado.netutil.bind_sockets(0, '127.0.0.1')
server.add_sockets(sockets)
print(sockets[0].getsockname()[1], flush=True)
tornado.ioloop.IOLoop.current().start()
`;

const SINATRA = `$stdout.sync = true
require 'sinatra/base'
require 'json'
class App < Sinatra::Base
  set :environment, :production
  set :logging, false
  enable :sessions
  set :session_secret, 'pearl' * 20
  post('/slips') do
    read = request.media_type == 'application/json' ? JSON.parse(request.body.read) : params
    session['desk'] = 'four'
    status 202
    headers 'X-Desk' => 'four'
    body 'stam'
    told = read && 'stamped'
    told
  end
end
`;
const RAILS = `$stdout.sync = true
require 'action_controller/railtie'
class Desk < Rails::Application
  config.eager_load = false
  config.logger = Logger.new(nil)
  config.secret_key_base = 'pearl' * 10
  config.hosts.clear
  config.action_dispatch.default_headers = {}
  config.session_store :cookie_store, key: 'desk'
  routes.append { post 'slips', to: 'slips#create' }
end
class SlipsController < ActionController::Base
  def create
    read = params.to_unsafe_h
    session[:desk] = 'four'
    response.headers['X-Desk'] = 'four'
    self.status = 202
    self.response_body = 'stam'
    told = read && 'stamped'
    self.response_body = told
  end
end
App = Desk.initialize!
`;
const WEBRICK = `$stdout.sync = true
require 'webrick'
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/slips') do |request, response|
  read = request.content_type.include?('urlencoded') ? request.query : request.body
  response.status = 202
  response['x-desk'] = 'four'
  response.body = 'stam'
  told = read && 'stamped'
  response.body = told
end
puts "http://127.0.0.1:#{server.config[:Port]}"
server.start
`;
const PUMA = "$stdout.sync = true\nthreads 2, 2\nbind 'tcp://127.0.0.1:0'\nlog_requests false\n";

interface Service {
  name: string;
  source: string;
  /** Starts it: where it listens, and a session that is attached to it. Undefined where it is not installed. */
  start: StartService;
  /** What is told of a form, of a form with a file, of JSON, of the session, and of the answer until then. */
  form: string;
  files?: { form: string; files: RegExp } | undefined;
  json: string;
  session?: string;
  answer?: Record<string, unknown>;
}

function python(name: string, module: string, source: string, session?: string): Service {
  return {
    name,
    source,
    start: pythonService(module, source),
    form: "{'quay': 'east', 'password': •••}",
    files: { form: "{'quay': 'north'}", files: /^\{'slip': \{'name': 'slip.txt', .*'size': 18/ },
    json: "{'quay': 4}",
    ...(session === undefined ? {} : { session }),
  };
}

const FILES = { 'config.ru': "require_relative 'app'\nrun App\n", 'puma.rb': PUMA };

function ruby(
  name: string,
  library: string,
  source: string,
  args: string[],
  parts: Partial<Service>,
): Service {
  return {
    name,
    source,
    start: rubyService([library, 'puma'], source, FILES, args),
    form: '{"quay" => "east", "password" => •••}',
    files: {
      form: '{"quay" => "north"}',
      files: /^\{"slip" => \{"name" => "slip.txt", "type" => "text\/plain", "size" => 18\}\}/,
    },
    json: '{"quay" => 4}',
    answer: { status: '202', headers: expect.stringContaining('=> "four"'), body: '"stam"' },
    ...parts,
  };
}

const UNDER_PUMA = ['-S', 'puma', '-C', 'puma.rb', '-e', 'production'];
const SERVICES: Service[] = [
  python('ASGI, under uvicorn', 'uvicorn', ASGI, "{'desk': 'four', 'token': •••}"),
  python('Flask', 'flask', FLASK, '{}'),
  python('Django', 'django', DJANGO, '{}'),
  python('WSGI, under waitress', 'waitress', WAITRESS),
  python('aiohttp', 'aiohttp', AIOHTTP),
  python('tornado', 'tornado', TORNADO),
  ruby('Sinatra', 'sinatra/base', SINATRA, UNDER_PUMA, {
    session: expect.stringContaining('"desk" => "four"'),
  }),
  ruby('Rails', 'rails', RAILS, UNDER_PUMA, { session: expect.stringContaining('"desk" => "four"') }),
  ruby('WEBrick', 'webrick', WEBRICK, ['app.rb'], { files: undefined, json: '"{\\"quay\\": 4}"' }),
];

/** What a stop tells in one of its scopes, by name; and what an expression gives there. */
async function partsOf(stop: Stop, name: string) {
  const [frame] = await stop.frames();
  const scopes = await stop.scopes(frame?.id ?? 0);
  const scope = scopes.find((each) => each.name === name);
  const parts = await stop.variables(scope?.variablesReference ?? 0);
  const asked = async (text: string) => (await stop.evaluate(text, frame?.id, 'watch')).text;
  return { told: Object.fromEntries(parts.map((part) => [part.name, part.value])), asked };
}

describe.each(SERVICES)('what has been read of a request: $name', (service) => {
  const { source, start, form, files, json, session, answer } = service;
  const line = source.split('\n').findIndex((text) => text.includes('told = ')) + 1;
  /** Sends a body and gives what is told where the handler is held; the program answers what it would have. */
  const held = async (
    { port, attached }: { port: string; attached: Attached },
    body: RequestInit,
    see: (stop: Stop) => Promise<void>,
  ) => {
    const answered = fetch(`http://127.0.0.1:${port}/slips`, { method: 'POST', ...body });
    const stop = await attached.stop();
    await see(stop);
    await stop.resume();
    const response = await answered;
    expect(await response.text()).toBe('stamped');
    return response;
  };

  (start ? it : it.skip)('its form, its files and its body, and the program reads the same', async () => {
    const started = await (start as NonNullable<StartService>)(runFolder());
    await started.attached.mark(started.file, line);
    await held(started, { body: new URLSearchParams('quay=east&password=pearl') }, async (stop) => {
      const { told, asked } = await partsOf(stop, 'Request');
      expect(told.form).toBe(form);
      expect(JSON.stringify(told)).not.toContain('pearl');
      expect(told.session).toEqual(session);
      if (!/\brequest\b|action_controller/.test(source)) {
        // Where the program has a name `request` of its own, that is meant.
        expect(await asked('request.form["quay"]')).toMatch(/^["']east["']$/);
      }
      expect((await partsOf(stop, 'Response')).told).toMatchObject(answer ?? {});
    });
    if (files) {
      const data = new FormData();
      data.set('quay', 'north');
      data.set('slip', new Blob(['\r\n--not a boundary'], { type: 'text/plain' }), 'slip.txt');
      await held(started, { body: data }, async (stop) => {
        const { told } = await partsOf(stop, 'Request');
        expect(told.form).toBe(files.form);
        expect(told.files).toMatch(files.files);
      });
    }
    const headers = { 'content-type': 'application/json' };
    const response = await held(started, { body: '{"quay": 4}', headers }, async (stop) => {
      expect((await partsOf(stop, 'Request')).told.body).toBe(json);
    });
    // A session that nobody has asked for changes no answer.
    expect(response.headers.get('vary')).toBe(source === DJANGO ? 'Cookie' : null);
    await started.attached.session.detach();
  });
});
