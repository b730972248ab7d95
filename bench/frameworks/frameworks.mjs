/*
 * What people serve with: for each its packages, its files (of `apps/`), how it is started, and which behaviours its kind
 * has. `parts`: folders of `apps/` that make up the program; `file`: the one with the marks, `set` and `told` lines of it.
 */
const python = process.env.AMBER_PYTHON || '/usr/bin/python3';
const PYTHON = { runtime: 'python', file: 'quotes.py', set: 2, told: 3, say: '{total}' };
const RUBY = { runtime: 'ruby', file: 'quotes.rb', set: 2, told: 3, say: '{total}' };
const NODE = { runtime: 'node', file: 'quotes.js', set: 2, told: 3, say: '{total}' };
const MODULE = { ...NODE, file: 'quotes.mjs' };
const PHP = { runtime: 'php', file: 'quotes.php', set: 4, told: 5, say: '{$total}', prepared: true };
const versionOf = (module, expression = `${module}.__version__`) => [
  python,
  '-c',
  `import ${module}; print(${expression})`,
];
const distribution = (name) => [
  python,
  '-c',
  `from importlib.metadata import version; print(version(${JSON.stringify(name)}))`,
];
const gem = (name) => ['ruby', '-e', `puts Gem::Specification.find_by_name('${name}').version`];
const npm = (name) => ['node', '-p', `require('./node_modules/${name}/package.json').version`];
const gunicorn = (...more) => ['-m', 'gunicorn', '-b', '127.0.0.1:PORT', '--log-level', 'critical', ...more, 'app:app'];
const uvicorn = (...more) => ['-m', 'uvicorn', '--port', 'PORT', '--log-level', 'error', ...more];

export const FRAMEWORKS = {
  'Django, runserver': {
    ...PYTHON,
    parts: ['django', 'python'],
    debian: ['python3-django'],
    version: versionOf('django'),
    start: [python, 'manage.py', 'runserver', '127.0.0.1:PORT'],
    reloads: true,
  },
  'Django, uvicorn': {
    ...PYTHON,
    parts: ['django', 'python'],
    debian: ['python3-django', 'python3-uvicorn'],
    version: versionOf('django'),
    start: [python, ...uvicorn('manage:app')],
  },
  'Django, daphne': {
    ...PYTHON,
    parts: ['django', 'python'],
    debian: ['python3-django', 'python3-daphne'],
    version: distribution('daphne'),
    start: [python, '-m', 'daphne', '-p', 'PORT', '-v', '0', 'manage:app'],
  },
  'Flask, its own server': {
    ...PYTHON,
    parts: ['flask', 'python'],
    debian: ['python3-flask'],
    version: distribution('flask'),
    start: [python, '-m', 'flask', '--app', 'app', 'run', '--port', 'PORT'],
  },
  'Flask, --debug': {
    ...PYTHON,
    parts: ['flask', 'python'],
    debian: ['python3-flask'],
    version: distribution('flask'),
    start: [python, '-m', 'flask', '--app', 'app', '--debug', 'run', '--port', 'PORT'],
    reloads: true,
  },
  'FastAPI, uvicorn': {
    ...PYTHON,
    parts: ['fastapi', 'python'],
    debian: ['python3-fastapi', 'python3-uvicorn'],
    version: versionOf('fastapi'),
    start: [python, ...uvicorn('app:app')],
  },
  'FastAPI, uvicorn --reload': {
    ...PYTHON,
    parts: ['fastapi', 'python'],
    debian: ['python3-fastapi', 'python3-uvicorn'],
    version: versionOf('fastapi'),
    start: [python, ...uvicorn('--reload', 'app:app')],
    reloads: true,
  },
  'FastAPI, uvicorn, 2 workers': {
    ...PYTHON,
    parts: ['fastapi', 'python'],
    debian: ['python3-fastapi', 'python3-uvicorn'],
    version: versionOf('fastapi'),
    start: [python, ...uvicorn('--workers', '2', 'app:app')],
    workers: 2,
  },
  'ASGI, hypercorn': {
    ...PYTHON,
    parts: ['asgi', 'python'],
    debian: ['python3-hypercorn'],
    version: distribution('hypercorn'),
    start: [python, '-m', 'hypercorn', '-b', '127.0.0.1:PORT', 'app:app'],
  },
  'ASGI, daphne': {
    ...PYTHON,
    parts: ['asgi', 'python'],
    debian: ['python3-daphne'],
    version: distribution('daphne'),
    start: [python, '-m', 'daphne', '-p', 'PORT', '-v', '0', 'app:app'],
  },
  aiohttp: {
    ...PYTHON,
    parts: ['aiohttp', 'python'],
    debian: ['python3-aiohttp'],
    version: versionOf('aiohttp'),
    start: [python, 'app.py', 'PORT'],
  },
  tornado: {
    ...PYTHON,
    parts: ['tornado', 'python'],
    debian: ['python3-tornado'],
    version: versionOf('tornado', 'tornado.version'),
    start: [python, 'app.py', 'PORT'],
  },
  'WSGI, gunicorn, 2 workers': {
    ...PYTHON,
    parts: ['wsgi', 'python'],
    debian: ['gunicorn', 'python3-gunicorn'],
    version: versionOf('gunicorn'),
    start: [python, ...gunicorn('-w', '2')],
    workers: 2,
  },
  'Flask, gunicorn --threads 4': {
    ...PYTHON,
    parts: ['flask', 'python'],
    debian: ['gunicorn', 'python3-gunicorn', 'python3-flask'],
    version: versionOf('gunicorn'),
    start: [python, ...gunicorn('--threads', '4')],
  },
  'Flask, waitress': {
    ...PYTHON,
    parts: ['flask', 'python'],
    debian: ['python3-waitress', 'python3-flask'],
    version: distribution('waitress'),
    start: [python, '-m', 'waitress', '--listen=127.0.0.1:PORT', 'app:app'],
  },
  'WSGI, uWSGI, 2 workers': {
    ...PYTHON,
    parts: ['wsgi', 'python'],
    debian: ['uwsgi-core', 'uwsgi-plugin-python3'],
    version: ['uwsgi', '--version'],
    start: [
      ...['uwsgi', '--plugin', 'python3', '--http-socket', '127.0.0.1:PORT', '--master', '-p', '2'],
      ...['--enable-threads', '--disable-logging', '--die-on-term', '-w', 'app:app'],
    ],
    workers: 2,
  },
  'Rails, puma': {
    ...RUBY,
    file: 'app/controllers/quotes_controller.rb',
    set: 4,
    told: 5,
    parts: ['rails'],
    debian: ['ruby-railties', 'ruby-actionpack', 'puma'],
    version: gem('railties'),
    start: ['puma', '-q', '-b', 'tcp://127.0.0.1:PORT', 'config.ru'],
    reloads: 'in place',
  },
  'Sinatra, puma': {
    ...RUBY,
    parts: ['sinatra', 'ruby'],
    debian: ['ruby-sinatra', 'puma'],
    version: gem('sinatra'),
    start: ['puma', '-q', '-b', 'tcp://127.0.0.1:PORT', 'config.ru'],
  },
  'Sinatra, puma, 2 workers': {
    ...RUBY,
    parts: ['sinatra', 'ruby'],
    debian: ['ruby-sinatra', 'puma'],
    version: gem('sinatra'),
    start: ['puma', '-q', '-w', '2', '-b', 'tcp://127.0.0.1:PORT', 'config.ru'],
    workers: 2,
  },
  'Grape, webrick': {
    ...RUBY,
    parts: ['grape', 'ruby'],
    debian: ['ruby-grape', 'ruby-webrick'],
    version: gem('grape'),
    start: ['rackup', '-q', '-s', 'webrick', '-o', '127.0.0.1', '-p', 'PORT', '-E', 'production'],
  },
  Express: {
    ...NODE,
    parts: ['express', 'node'],
    npm: ['express'],
    version: npm('express'),
    start: ['node', 'app.js', 'PORT'],
  },
  'Express, node --watch': {
    ...NODE,
    parts: ['express', 'node'],
    npm: ['express'],
    version: npm('express'),
    start: ['node', '--watch', 'app.js', 'PORT'],
    reloads: true,
  },
  'Express, nodemon': {
    ...NODE,
    parts: ['express', 'node'],
    npm: ['express', 'nodemon'],
    version: npm('nodemon'),
    start: ['node', 'ROOT/node_modules/nodemon/bin/nodemon.js', '-q', 'app.js', 'PORT'],
    reloads: true,
  },
  Fastify: {
    ...NODE,
    parts: ['fastify', 'node'],
    npm: ['fastify'],
    version: npm('fastify'),
    start: ['node', 'app.js', 'PORT'],
  },
  Koa: {
    ...MODULE,
    parts: ['koa', 'node'],
    npm: ['koa'],
    version: npm('koa'),
    start: ['node', 'app.mjs', 'PORT'],
  },
  Hono: {
    ...MODULE,
    parts: ['hono', 'node'],
    npm: ['hono', '@hono/node-server'],
    version: npm('hono'),
    start: ['node', 'app.mjs', 'PORT'],
  },
  'Nest, tsx': {
    ...NODE,
    file: 'quotes.ts',
    parts: ['nest'],
    npm: ['@nestjs/core', '@nestjs/common', '@nestjs/platform-express', 'rxjs', 'reflect-metadata', 'tsx'],
    version: npm('@nestjs/core'),
    start: ['node', '--import', 'ROOT/node_modules/tsx/dist/loader.mjs', 'app.ts', 'PORT'],
    more: {
      'package.json': '{"type":"module"}\n',
      'tsconfig.json': '{"compilerOptions":{"experimentalDecorators":true,"target":"ES2022"}}\n',
    },
  },
  GraphQL: {
    ...NODE,
    parts: ['graphql', 'node'],
    npm: ['graphql'],
    version: npm('graphql'),
    start: ['node', 'app.js', 'PORT'],
  },
  'Next, development': {
    ...MODULE,
    parts: ['next', 'node'],
    npm: ['next', 'react', 'react-dom'],
    version: npm('next'),
    start: ['node', 'ROOT/node_modules/next/dist/bin/next', 'dev', '-H', '127.0.0.1', '-p', 'PORT'],
    reloads: 'in place',
  },
  'Next, production': {
    ...MODULE,
    parts: ['next', 'node'],
    npm: ['next', 'react', 'react-dom'],
    version: npm('next'),
    build: ['node', 'ROOT/node_modules/next/dist/bin/next', 'build'],
    start: ['node', 'ROOT/node_modules/next/dist/bin/next', 'start', '-H', '127.0.0.1', '-p', 'PORT'],
    more: { 'next.config.mjs': 'export default { experimental: { serverSourceMaps: true } };\n' },
  },
  'PHP, its own server, 4 workers': {
    ...PHP,
    parts: ['plain-php', 'php'],
    debian: ['php-cli'],
    version: ['php', '-r', 'echo PHP_VERSION;'],
    start: ['php', '-S', '127.0.0.1:PORT', 'index.php'],
    env: { PHP_CLI_SERVER_WORKERS: '4' },
    workers: 4,
  },
  'Symfony components, PHP’s own server': {
    ...PHP,
    parts: ['symfony', 'php'],
    debian: ['php-symfony-http-foundation', 'php-symfony-routing'],
    version: ['dpkg-query', '-W', '-f', '${Version}', 'php-symfony-routing'],
    start: ['php', '-S', '127.0.0.1:PORT', 'index.php'],
    env: { PHP_CLI_SERVER_WORKERS: '4' },
    workers: 4,
  },
};
