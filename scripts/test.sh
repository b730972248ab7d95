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
npx --no-install jest --ci --json --outputFile="$results" "$@" || code=$?
node -e '
  const { numPassedTests: passed, numFailedTests: failed, numPendingTests: skipped, testResults } = JSON.parse(require("fs").readFileSync(process.argv[1]));
  for (const { fullName, status, invocations } of testResults.flatMap((file) => file.assertionResults)) {
    if (status === "passed" && invocations > 1) console.log(`passed only when tried again: ${fullName}`);
  }
  console.log(`${passed} passed, ${failed} failed, ${skipped} skipped`);
' "$results"
exit "$code"
