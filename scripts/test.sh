#!/usr/bin/env bash
# Everything that must hold: set-up, build, lint, types, tests. With arguments, only the tests that they name.
set -eu
cd "$(dirname "$0")/.."
bash scripts/setup.sh test
npm run --silent build
npm run --silent lint
npm run --silent typecheck

# What is run again with programs in other versions of Node: everything that talks to the engine, or a core of that.
ON_NODE_26='runtimes/node/test test/requests/bodies test/cli/launch-node test/cli/cluster'
ON_OTHERS='test/cli/launch-node'

results=$(mktemp)
trap 'rm -f "$results"' EXIT
code=0

# jest NAME ARGUMENTS: runs tests, ends what they have left running, and says how they went.
run() {
  local name=$1
  shift
  # Every process that the tests start inherits this, so that what they leave running can be told and ended.
  AMBER_TEST_RUN="run-$$" npx --no-install jest --ci --forceExit --json --outputFile="$results" "$@" </dev/null || code=$?
  for process in /proc/[0-9]*; do
    if grep -qz "^AMBER_TEST_RUN=run-$$\$" "$process/environ" 2>/dev/null; then
      echo "left running by a test: ${process#/proc/} $(tr '\0' ' ' <"$process/cmdline" 2>/dev/null)"
      kill -9 "${process#/proc/}" 2>/dev/null || true
    fi
  done
  node -e '
    const [file, name] = process.argv.slice(1);
    const { numPassedTests: passed, numFailedTests: failed, numPendingTests: skipped, testResults } = JSON.parse(require("fs").readFileSync(file));
    for (const { fullName, status, invocations } of testResults.flatMap((file) => file.assertionResults)) {
      if (status === "passed" && invocations > 1) console.log(`passed only when tried again: ${fullName}`);
    }
    console.log(`${name}: ${passed} passed, ${failed} failed, ${skipped} skipped`);
  ' "$results" "$name"
}

run "Node $(node -p process.versions.node)" "$@"
if [ $# = 0 ]; then
  for version in 22 24 26; do
    node=$PWD/test/nodes/node_modules/node$version/bin/node
    if [ -x "$node" ]; then
      tests=$ON_OTHERS
      [ "$version" = 26 ] && tests=$ON_NODE_26
      AMBER_TEST_NODE=$node AMBER_OWN_NODE=$node run "amber and programs in Node $("$node" -p process.versions.node)" $tests
    elif [ -n "${CI:-}" ]; then
      echo "Node $version is missing"
      code=1
    fi
  done
fi
exit "$code"
