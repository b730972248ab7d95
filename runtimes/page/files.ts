import { existsSync } from 'node:fs';
import { isAbsolute, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { listFiles } from '../../src/core/source/find.js';

/** Which file of the project an address of a page stands for: by the longest tail that only one file has. */
export class PageFiles {
  #files: readonly string[] | undefined;
  readonly #known = new Map<string, string>();

  /** @param project absolute path of the project's folder */
  constructor(private readonly project: string) {}

  /** The absolute path of the file; the address itself where it stands for none. */
  fileOf(url: string): string {
    const known = this.#known.get(url);
    if (known !== undefined) {
      return known;
    }
    const found = this.#find(url) ?? url;
    this.#known.set(url, found);
    return found;
  }

  #find(url: string): string | undefined {
    let address: URL;
    try {
      address = new URL(url);
    } catch {
      return undefined;
    }
    if (address.protocol === 'file:') {
      return fileURLToPath(address);
    }
    if (address.protocol !== 'http:' && address.protocol !== 'https:') {
      return undefined;
    }
    const path = decodeURIComponent(address.pathname);
    // Development servers serve files of other folders under their whole paths.
    const whole = path.replace(/^\/@fs/, '');
    if (isAbsolute(whole) && whole.startsWith(`${this.project}/`) && existsSync(whole)) {
      return whole;
    }
    const parts = (path.endsWith('/') ? `${path}index.html` : path).split('/').filter(Boolean);
    for (let from = 0; from < parts.length; from += 1) {
      const tail = parts.slice(from).join('/');
      const fitting = this.#all.filter((file) => file === tail || file.endsWith(`/${tail}`));
      if (fitting.length > 0) {
        // Of several nobody knows which is meant.
        return fitting.length === 1 ? join(this.project, fitting[0] ?? '') : undefined;
      }
    }
    return undefined;
  }

  get #all(): readonly string[] {
    this.#files ??= listFiles(this.project);
    return this.#files;
  }
}
