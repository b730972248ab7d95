#!/usr/bin/env bash
# What is wrong in the code, in every language that it is written in. A linter that is missing is a failure only in CI.
set -u
cd "$(dirname "$0")/.."
code=0
TRACER=src/targets/unprepared/tracer

# check COMMAND…: runs a linter that is there, without a word unless it finds something.
check() {
  local found
  found=$("$@" 2>&1) || { code=1; printf '%s\n' "$found"; }
}
missing() {
  echo "missing: $1, so $2 is not looked at (bash scripts/setup.sh test installs it)" >&2
  [ -z "${CI:-}" ] || code=1
}

npx --no-install biome check --error-on-warnings . || code=1

flake8=''
for python in python3 /usr/bin/python3; do
  "$python" -m flake8 --version >/dev/null 2>&1 && flake8=$python && break
done
if [ -n "$flake8" ]; then
  check "$flake8" -m flake8 --config runtimes/python/.flake8 runtimes/python/agent "$TRACER"
else
  missing flake8 Python
fi
if command -v rubocop >/dev/null; then
  check rubocop --config runtimes/ruby/.rubocop.yml --cache false --format emacs runtimes/ruby/agent "$TRACER/tracer.rb"
else
  missing rubocop Ruby
fi
if command -v phpcs >/dev/null; then
  check phpcs --standard=runtimes/php/phpcs.xml -n -q runtimes/php/agent
else
  missing phpcs PHP
fi
exit "$code"
