import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { labelled, type Runtime } from '../../../conformance/fixture.js';
import { FUNCTIONS } from '../../../conformance/javascript.js';
import { Browser, hasBrowser } from '../../../test/support/browser.js';
import { until } from '../../../test/support/until.js';

const SOURCE = `${FUNCTIONS}
async function late(n) {
  const { arrives } = await import('/later.js');
  return arrives(n);
}

const ROUTES = { '/double': double, '/least': least, '/quote': quote, '/round': roundTrip, '/caught': caught, '/inside': inside, '/named': named, '/late': late };
document.getElementById('ask').addEventListener('ask', ({ detail: { path, answer } }) => {
  const { pathname, searchParams } = new URL(path, location.href);
  answer(ROUTES[pathname](Number(searchParams.get('n'))));
});
`;
const LATER = `export function arrives(n) {
  const tide = n + 40;  // [arrives]
  return tide;
}
`;
const PAGE = '<!doctype html><title>Counter</title><div id="ask"></div><script src="/app.js"></script>';

const NO_REQUESTS = 'a page serves no requests: events are what it answers to';

export const page: Runtime = {
  name: 'page',
  words: {
    variable: (name) => name,
    request: (part) => `request.${part}`,
    failing: 'nothing.here',
    error: 'RangeError',
  },
  isHere: () => hasBrowser,
  async start() {
    const folder = mkdtempSync(join(tmpdir(), 'amber-page-'));
    const file = join(folder, 'app.js');
    writeFileSync(file, SOURCE);
    writeFileSync(join(folder, 'later.js'), LATER);
    writeFileSync(join(folder, 'index.html'), PAGE);
    const browser = new Browser(folder);
    const tab = await browser.visit('/index.html');
    return {
      file,
      lineOf: (label) => labelled(SOURCE, label),
      attach: (args) => tab.attach(args),
      get: async (path) => {
        const detail = `{ path: ${JSON.stringify(path)}, answer }`;
        const event = `new CustomEvent('ask', { detail: ${detail} })`;
        const asked = `new Promise((answer) => setTimeout(() => document.getElementById('ask').dispatchEvent(${event})))`;
        return String(await tab.evaluate(asked));
      },
      renew: async (attached) => {
        await tab.evaluate('window.isOld = true');
        await attached.session.reload('', '');
        await until(
          async () => (await tab.evaluate("!window.isOld && document.readyState === 'complete'")) === true,
        );
      },
      end: async () => {
        await browser.end();
        rmSync(folder, { recursive: true, force: true });
      },
    };
  },
  impossible: {
    'a mark at a request stops what serves it, and nothing else': NO_REQUESTS,
    'a stop knows the request that it serves': NO_REQUESTS,
    'what the request carries is there to be looked at': NO_REQUESTS,
    'expressions of marks have what the request carries': NO_REQUESTS,
    'what a request carries under a secret name decides, and is not told': NO_REQUESTS,
    'requests at the same time are told apart': NO_REQUESTS,
    'what the program prints is told with its request': NO_REQUESTS,
  },
};
