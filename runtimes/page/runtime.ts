import { good } from '../../src/core/finding.js';
import type { Runtime } from '../../src/targets/runtime.js';
import type { Target } from '../../src/targets/target.js';
import { pageTarget } from './target.js';

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

  prepare: () => ({}),
  standing: () => ({ state: 'closed', reason: 'is no page' }),
  restarts: () => false,
  check: async ({ page }) => [good('page', `${page?.url} in ${page?.browser}`)],
  async others({ browser }) {
    const { browsersHere, pagesOf } = await import('./browsers.js');
    const browsers = [
      ...browsersHere(),
      ...(browser ? [{ pid: 0, address: browser, folder: '', age: 0, parent: 0 }] : []),
    ];
    const found: Target[] = [];
    const seen = new Set<string>();
    for (const each of browsers.filter(({ address }) => !seen.has(address) && seen.add(address))) {
      const answer = await pagesOf(each.address);
      for (const one of answer?.pages ?? []) {
        found.push(pageTarget(one, each, answer?.version ?? ''));
      }
    }
    return found;
  },
  open: async (openable, opener) => (await import('./open.js')).openPage(openable, opener),
};
