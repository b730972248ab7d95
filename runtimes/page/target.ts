import { basename } from 'node:path';
import type { Target } from '../../src/targets/target.js';
import type { Browser, Page } from './browsers.js';

/** Words of an address that say no more than that a page begins there. */
const PLAIN = /^(?:index(?:\.\w+)?|)$/;

/** A page of a browser, as a target. `version`: what the browser calls itself (`Chrome/156.0`). */
export function pageTarget(page: Page, browser: Browser, version: string): Target {
  const base = nameOf(page);
  return {
    ...targetOf(browser),
    base,
    name: base,
    version: version.replace(/^(?:Headless)?(\w+)\//, '$1 '),
    command: page.url,
    page: { ...page, browser: browser.address },
  };
}

/** In place of the pages of a browser that does not list them. `waited`: for how many milliseconds it was asked. */
export function silentBrowser(browser: Browser, waited: number): Target {
  return {
    ...targetOf(browser),
    state: 'closed',
    reason: `has not listed its pages within ${waited / 1000} s: it is stopped, or very busy`,
  };
}

function targetOf({ pid, address, folder, age, parent }: Browser): Target {
  return {
    pid,
    runtime: 'page',
    title: 'Page',
    base: 'browser',
    name: 'browser',
    version: '',
    command: `browser at ${address}`,
    parent,
    folder,
    age,
    state: 'free',
    reason: null,
    host: null,
    prepared: true,
    takesAgent: false,
    kernel: null,
  };
}

/** What people call a page: the last word of its address, else its title or its host. */
function nameOf({ url, title }: Page): string {
  try {
    const { pathname, host, protocol } = new URL(url);
    if (protocol === 'about:') {
      return 'blank page';
    }
    const word = basename(pathname).replace(/\.\w+$/, '');
    if (!PLAIN.test(word)) {
      // A number is a pid wherever a target is asked for.
      return /^\d+$/.test(word) ? `page ${word}` : word;
    }
    return title || host || 'page';
  } catch {
    return title || 'page';
  }
}
