import { setPatience } from '../../src/core/patience.js';
import { endPrograms } from './program.js';

// Where nobody waits, a machine that others share may stand still for longer than the product usually waits for an
// answer: there it waits longer, and a test that fails is tried again, with its errors shown.
// `scripts/test.sh` names every test that needed it. The core is tested with clocks of its own.
if (process.env.CI) {
  jest.retryTimes(2, { logErrorsBeforeRetry: true });
  process.env.AMBER_PATIENCE = '10';
  if (!expect.getState().testPath?.includes('/test/core/')) {
    setPatience(10);
  }
}

// A program that a failed test has left would keep the machine busy for all that follow.
afterAll(endPrograms);
