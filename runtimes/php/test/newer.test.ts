import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { itNewer, runNewer } from '../../../test/support/newer.js';

interface Report {
  version: string;
  printed: string;
  told: number;
  marks: number;
  failed: string[];
  lines: boolean;
  functions: string[];
}

/** Files of what each version has brought, and what they print. */
const FILES = {
  '8.3': 'Aino 3 Holm 4 3 4 3\n5 json\n',
  '8.4': '2A3 6 Aino upper 2 any\n4\n',
  '8.5': 'total 12 45\n2Aino 6\n',
};
const VERSIONS = Object.keys(FILES);
const cases = VERSIONS.flatMap((version) =>
  Object.entries(FILES)
    .filter(([file]) => file <= version)
    .map(([file, printed]) => ({ version, file, printed })),
);

describe.each(cases)('what PHP $file has brought, in PHP $version', ({ version, file, printed }) => {
  itNewer('prints the same with every probe in it, on the same lines', async () => {
    const path = join(__dirname, 'newer', `${file}.php`);
    const [bare, spliced] = (await runNewer(
      join(__dirname, 'newer.mjs'),
      agentFolder('php'),
      version,
      path,
    )) as [Report, Report];
    expect(bare.version.startsWith(`${version}.`)).toBe(true);
    expect(bare.printed).toBe(printed);
    expect(spliced).toMatchObject({ printed, failed: [], lines: true });
    expect(bare.told).toBe(0);
    expect(spliced.told).toBeGreaterThan(10);
    if (file === '8.4') {
      // The hooks of properties are functions.
      expect(spliced.functions).toEqual(
        expect.arrayContaining([
          'Ferry\\Cabin::$label::get',
          'Ferry\\Cabin::$label::set',
          'Ferry\\Cabin::$legs::get',
        ]),
      );
    }
  });
});
