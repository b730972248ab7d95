import { good } from '../../src/core/finding.js';
import { patient } from '../../src/core/patience.js';
import type { Runtime } from '../../src/targets/runtime.js';
import { pageTarget, silentBrowser } from './target.js';

/** Pages of browsers that were started with a remote debugging port: their JavaScript, on V8. */
export const page: Runtime = {
  name: 'page',
  title: 'Page',
  aliases: [],
  // A page is no process.
  programs: [],
  files: /\.(?:[cm]?[jt]s|[jt]sx|vue|svelte|html?)$/,
  sources: ['.js', '.mjs', '.ts', '.mts', '.jsx', '.tsx', '.vue', '.svelte'],
  words: { withValue: /^$/, inline: /^$/ },
  joinsChildren: false,
  joinsForks: false,

  prepare: () => ({}),
  standing: () => ({ state: 'closed', reason: 'is no page' }),
  restarts: () => false,
  check: async ({ page }) => [good('page', `${page?.url} in ${page?.browser}`)],
  async others({ browser }) {
    const { browsersHere, LONGEST, pagesOf } = await import('./browsers.js');
    const browsers = [
      ...browsersHere(),
      ...(browser ? [{ pid: 0, address: browser, folder: '', age: 0, parent: 0 }] : []),
    ];
    const addresses = new Map(browsers.toReversed().map((each) => [each.address, each]));
    const found = [...addresses.values()].map(async (each) => {
      try {
        const { version = '', pages = [] } = (await pagesOf(each.address)) ?? {};
        return pages.map((one) => pageTarget(one, each, version));
      } catch {
        return [silentBrowser(each, patient(LONGEST))];
      }
    });
    return (await Promise.all(found)).flat();
  },
  open: async (openable, opener) => (await import('./open.js')).openPage(openable, opener),
};
