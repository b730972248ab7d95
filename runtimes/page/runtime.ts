import { basename } from 'node:path';
import { good } from '../../src/core/finding.js';
import { numbered } from '../../src/targets/names.js';
import type { Runtime } from '../../src/targets/runtime.js';
import type { Target } from '../../src/targets/target.js';

/** Words of an address that say no more than that a page begins there. */
const PLAIN = /^(?:index(?:\.\w+)?|)$/;

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
    for (const { pid, address, folder, age, parent } of browsers) {
      const answer = seen.has(address) ? undefined : await pagesOf(address);
      seen.add(address);
      for (const one of answer?.pages ?? []) {
        const base = nameOf(one.url, one.title);
        found.push({
          pid,
          runtime: 'page',
          title: 'Page',
          base,
          name: numbered(base, (name) => found.some((other) => other.name === name)),
          version: (answer?.version ?? '').replace(/^(?:Headless)?(\w+)\//, '$1 '),
          command: one.url,
          parent,
          folder,
          age,
          state: 'free',
          reason: null,
          host: null,
          prepared: true,
          takesAgent: false,
          page: { ...one, browser: address },
        });
      }
    }
    return found;
  },
  open: async (openable, opener) => (await import('./open.js')).openPage(openable, opener),
};

/** What people call a page: the last word of its address, else its title or its host. */
function nameOf(address: string, title: string): string {
  try {
    const { pathname, host, protocol } = new URL(address);
    if (protocol === 'about:') {
      return 'blank page';
    }
    const word = basename(pathname).replace(/\.\w+$/, '');
    if (!PLAIN.test(word)) {
      return /^\d+$/.test(word) ? `page ${word}` : word;
    }
    return title || host || 'page';
  } catch {
    return title || 'page';
  }
}
