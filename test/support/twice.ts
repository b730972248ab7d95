// Where nobody waits, a test that fails is tried once more, with its first error shown: a shared machine may stand
// still for longer than the patience of the product itself. `scripts/test.sh` names every test that needed it.
if (process.env.CI) {
  jest.retryTimes(1, { logErrorsBeforeRetry: true });
}
