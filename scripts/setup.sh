#!/usr/bin/env bash
# Installs what a test run or the demo needs, where it may; otherwise says the one command that does.
#   scripts/setup.sh demo    Node packages; names the interpreters that are missing
#   scripts/setup.sh test    also the interpreters and frameworks that the tests run against
set -u
cd "$(dirname "$0")/.."
purpose=${1:-demo}

say() { printf '%s\n' "$*" >&2; }

# May this run install system packages? As root or in CI; a developer's machine is left alone.
may_install() { [ "$(id -u)" = 0 ] || [ -n "${CI:-}" ]; }

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

# install WHAT DEBIAN-PACKAGE BREW-FORMULA
install() {
  local what=$1 debian=$2 brew=$3
  if command -v apt-get >/dev/null; then
    if may_install; then
      say "installing $what"
      as_root apt-get update -qq >/dev/null && as_root apt-get install -y -qq $debian >/dev/null && return 0
    fi
    say "missing: $what. Install it with: sudo apt-get install $debian"
  elif command -v brew >/dev/null; then
    say "missing: $what. Install it with: brew install $brew"
  else
    say "missing: $what. Please install it (on Debian it is called $debian)"
  fi
  return 1
}

good_python() { "$1" -c 'import sys; sys.exit(sys.version_info < (3, 8))' 2>/dev/null; }
python_with() {
  for python in python3 /usr/bin/python3; do
    "$python" -c "import $1" 2>/dev/null && return 0
  done
  return 1
}

ruby_with() {
  ruby -e "exit 1 if (RUBY_VERSION.split('.').map(&:to_i) <=> [3, 1]) < 0; ARGV.each { |name| require name }" "$@" 2>/dev/null
}

php_good() { php -r 'exit(PHP_VERSION_ID >= 80000 && extension_loaded("tokenizer") ? 0 : 1);' 2>/dev/null; }
php_fpm() { command -v php-fpm >/dev/null || ls /usr/sbin/php-fpm8* >/dev/null 2>&1; }

missing=0
if ! node -e 'process.exit(Number(process.versions.node.split(".")[0]) < 20 ? 1 : 0)' 2>/dev/null; then
  say "missing: Node.js 20 or later. Please install it from your system's packages"
  exit 1
fi

if [ ! -d node_modules ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
  # Not `npm ci`: it fails where a registry lacks an optional package of some other platform.
  npm install --no-audit --no-fund --loglevel=error || exit 1
fi

good_python python3 || install 'Python 3.8 or later' python3 python || missing=1
if [ "$purpose" = test ]; then
  if [ "$(uname -sm)" = 'Linux x86_64' ] && [ ! -x test/nodes/node_modules/node26/bin/node ]; then
    say 'installing Node 22, 24 and 26, for the tests'
    npm install --prefix test/nodes --ignore-scripts --no-audit --no-fund --loglevel=error || [ -z "${CI:-}" ] || missing=1
  fi
  if [ ! -d test/wasm/node_modules/pyodide ]; then
    say 'installing newer versions of Python, Ruby and PHP, built for WebAssembly, for the tests'
    npm install --prefix test/wasm --ignore-scripts --no-audit --no-fund --loglevel=error || [ -z "${CI:-}" ] || missing=1
  fi
  ruby_with || install 'Ruby 3.1 or later' ruby ruby || missing=1
  ruby_with puma sinatra/base webrick || install 'puma and Sinatra, for the tests' 'puma ruby-sinatra ruby-webrick' 'ruby (then: gem install puma sinatra webrick)' || missing=1
  php_good || install 'PHP 8.0 or later' php-cli php || missing=1
  php_fpm || install 'php-fpm, for the tests' php-fpm php || missing=1
  [ -d /usr/share/php/Twig ] || install 'Twig, whose files the tests read' php-twig 'php (then: composer require twig/twig)' || [ -z "${CI:-}" ] || missing=1
  python_with flask || install 'Flask, for the tests' python3-flask flask || missing=1
  python_with uvicorn || install 'uvicorn, for the tests' python3-uvicorn uvicorn || missing=1
  servers=''
  for server in gunicorn waitress aiohttp tornado hypercorn daphne; do
    python_with "$server" || servers="$servers python3-$server"
  done
  [ -z "$servers" ] || install 'servers of Python, for the tests' "$servers" 'python (then: pip install gunicorn waitress aiohttp tornado hypercorn daphne)' || missing=1
  uwsgi --plugin python3 --version >/dev/null 2>&1 || install 'uWSGI, for the tests' 'uwsgi-core uwsgi-plugin-python3' 'uwsgi' || missing=1
  python_with django || install 'Django, for the tests' python3-django django || missing=1
  python_with pandas || install 'pandas, for the tests' python3-pandas pandas || missing=1
  python_with 'IPython, jupyter_client, zmq' || install 'IPython and what kernels speak, for the tests' 'python3-ipython python3-jupyter-client python3-zmq' 'python (then: pip install ipython jupyter_client pyzmq)' || missing=1
  clients=''
  for client in requests httpx; do
    python_with "$client" || clients="$clients python3-$client"
  done
  [ -z "$clients" ] || install 'clients of HTTP for Python, for the tests' "$clients" 'python (then: pip install requests httpx)' || missing=1
  php -r 'exit(extension_loaded("curl") ? 0 : 1);' >/dev/null 2>&1 || install 'curl for PHP, for the tests' php-curl 'php' || missing=1
  python_with celery || install 'Celery, for the tests' python3-celery celery || missing=1
  ruby_with rails || install 'Rails, for the tests' ruby-railties 'ruby (then: gem install rails)' || missing=1
  ruby_with sidekiq || install 'Sidekiq, for the tests' ruby-sidekiq 'ruby (then: gem install sidekiq)' || missing=1
  linters=''
  /usr/bin/python3 -m flake8 --version >/dev/null 2>&1 || linters="$linters python3-flake8"
  command -v rubocop >/dev/null || linters="$linters rubocop"
  command -v phpcs >/dev/null || linters="$linters php-codesniffer"
  [ -z "$linters" ] || install 'linters for what runs inside the interpreters' "$linters" 'rubocop php-code-sniffer (then: pip install flake8)' || [ -z "${CI:-}" ] || missing=1
  command -v chromium >/dev/null || command -v google-chrome >/dev/null || install 'Chromium, for the tests of pages' chromium chromium || [ -z "${CI:-}" ] || missing=1
else
  php_good || say 'missing: PHP 8.0 or later; the demo does without its slips service. Install it with: sudo apt-get install php-cli (macOS: brew install php)'
  ruby_with || say 'missing: Ruby 3.1 or later; the demo does without its tides service. Install it with: sudo apt-get install ruby (macOS: brew install ruby)'
fi

if [ "$missing" = 1 ] && [ -n "${CI:-}" ]; then
  say 'in CI nothing may be missing'
  exit 1
fi
exit 0
