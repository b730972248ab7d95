import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { itNewer, runNewer } from '../../../test/support/newer.js';

/** What the script in Python says of one kind of mark, set on every statement. */
interface Spliced {
  same: boolean;
  failed: object;
  never: number[];
  codes: number;
  named: boolean;
}

itNewer('in Python 3.14 every statement takes a mark, and the code answers as before', async () => {
  const [report] = (await runNewer(join(__dirname, 'newer.mjs'), agentFolder('python'))) as [
    { version: string; lines: number; answers: string; kinds: Record<string, Spliced> },
  ];
  expect(report.version).toMatch(/^3\.14\./);
  expect(report.answers).toBe("[[1, 2, 3], 12.0, 8, 1.0, '4 of 5', [-1, 2], 4, [0, 1, 2], 42]");
  expect(report.lines).toBeGreaterThan(40);
  expect(Object.keys(report.kinds)).toEqual(['break', 'log', 'count', 'log when']);
  for (const spliced of Object.values(report.kinds)) {
    expect(spliced).toMatchObject({ same: true, failed: {}, never: [], named: true });
    expect(spliced.codes).toBeGreaterThan(15);
  }
});
