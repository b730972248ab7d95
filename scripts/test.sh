#!/usr/bin/env bash
# Everything that must hold: set-up, build, lint, types, tests.
set -eu
cd "$(dirname "$0")/.."
bash scripts/setup.sh test
npm run --silent build
npm run --silent lint
npm run --silent typecheck
results=$(mktemp)
trap 'rm -f "$results"' EXIT
code=0
# Every process that the tests start inherits this, so that what they leave running can be told and ended.
AMBER_TEST_RUN="run-$$" npx --no-install jest --ci --forceExit --json --outputFile="$results" "$@" </dev/null || code=$?
for process in /proc/[0-9]*; do
  if grep -qz "^AMBER_TEST_RUN=run-$$\$" "$process/environ" 2>/dev/null; then
    echo "left running by a test: ${process#/proc/} $(tr '\0' ' ' <"$process/cmdline" 2>/dev/null)"
    kill -9 "${process#/proc/}" 2>/dev/null || true
  fi
done
node -e '
  const { numPassedTests: passed, numFailedTests: failed, numPendingTests: skipped, testResults } = JSON.parse(require("fs").readFileSync(process.argv[1]));
  for (const { fullName, status, invocations } of testResults.flatMap((file) => file.assertionResults)) {
    if (status === "passed" && invocations > 1) console.log(`passed only when tried again: ${fullName}`);
  }
  console.log(`${passed} passed, ${failed} failed, ${skipped} skipped`);
' "$results"
exit "$code"
