import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { patient } from '../../src/core/patience.js';
import { allPids, type ProcessFacts, processFacts } from '../../src/targets/linux.js';
import { userId } from '../../src/targets/run-folder.js';

/** Milliseconds in which a browser has to list its pages. */
export const LONGEST = 3_000;

/** A browser with a remote debugging port, on this machine or where it was said to be. */
export interface Browser {
  /** 0 where its process is not known. */
  pid: number;
  /** `HOST:PORT` */
  address: string;
  folder: string;
  age: number;
  parent: number;
}

const pageSchema = z.object({
  id: z.string(),
  type: z.string(),
  title: z.string().default(''),
  url: z.string(),
  webSocketDebuggerUrl: z.string().optional(),
});
const versionSchema = z.object({ Browser: z.string().default('') });

/** A page of a browser, as the browser lists it (Chrome DevTools Protocol, HTTP endpoints). */
export interface Page {
  id: string;
  title: string;
  url: string;
  /** The address of its session; undefined while another client that allows nobody beside it has it. */
  socket: string | undefined;
}

/** This user's browsers that were started with a remote debugging port. */
export function browsersHere(): Browser[] {
  return allPids().flatMap((pid) => {
    const facts = processFacts(pid);
    const port = facts === undefined ? undefined : portOf(facts);
    if (facts === undefined || port === undefined || (facts.uid !== userId() && userId() !== 0)) {
      return [];
    }
    const { folder, age, parent } = facts;
    return [{ pid, address: `127.0.0.1:${port}`, folder, age, parent }];
  });
}

/** The port that a browser's own process was told to open, or the one that it has chosen itself. */
function portOf({ arguments: words }: ProcessFacts): number | undefined {
  const optionOf = (option: string) =>
    words.find((word) => word.startsWith(`${option}=`))?.slice(option.length + 1);
  const asked = optionOf('--remote-debugging-port');
  // The processes that it starts for pages and the like are of a type.
  if (asked === undefined || optionOf('--type') !== undefined) {
    return undefined;
  }
  return asked === '0' ? chosenPort(optionOf('--user-data-dir')) : Number(asked) || undefined;
}

/** A browser that chooses its port writes it into its profile. */
export function chosenPort(profile: string | undefined): number | undefined {
  try {
    const [port] = readFileSync(join(profile ?? '', 'DevToolsActivePort'), 'utf8').split('\n');
    return Number(port) || undefined;
  } catch {
    return undefined;
  }
}

/**
 * What a browser calls itself, and its pages; undefined where nothing answers as a browser does.
 * @throws TimeoutError from one that accepts connections and says nothing: it is stopped, or very busy
 */
export async function pagesOf(address: string): Promise<{ version: string; pages: Page[] } | undefined> {
  const ask = async (path: string) => {
    const signal = AbortSignal.timeout(patient(LONGEST));
    return await (await fetch(`http://${address}${path}`, { signal })).json();
  };
  try {
    const [list, version] = await Promise.all([ask('/json/list'), ask('/json/version')]);
    const pages = z
      .array(pageSchema)
      .parse(list)
      .filter(({ type, url }) => type === 'page' && !FOREIGN.test(url))
      .map(({ id, title, url, webSocketDebuggerUrl: socket }) => ({ id, title, url, socket }));
    return { version: versionSchema.parse(version).Browser, pages };
  } catch (error) {
    if (error instanceof DOMException && error.name === 'TimeoutError') {
      throw error;
    }
    return undefined;
  }
}

/** Pages of the browser's own. */
const FOREIGN = /^(?:devtools|chrome-extension|chrome|edge|about:(?!blank)):?/;
