#!/usr/bin/env bash
# Installs, builds, and runs the main job on the demo.
set -eu
cd "$(dirname "$0")/.."
bash scripts/setup.sh demo
npm run --silent build
exec node dist/src/cli/main.js demo --auto
