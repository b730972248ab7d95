import type { Duplex } from 'node:stream';
import { z } from 'zod';
import { Arrivals } from '../../engines/v8/arrivals.js';
import type { Channel } from '../../engines/v8/channel.js';
import type { Entry } from '../../engines/v8/entry.js';
import { ENGINE_PARTS, partOf } from '../../engines/v8/parts.js';
import { MAIN, ProgramAdapter, type Reached } from '../../engines/v8/program-adapter.js';
import { anythingSchema } from '../../engines/v8/protocol.js';
import { attachFields } from '../../src/adapters/arguments.js';
import type { RequestHandler } from '../../src/adapters/dap-server.js';
import { agentFolder } from '../../src/installation.js';
import { join, type PageConnection, type Part } from './connection.js';
import { PageFiles } from './files.js';
import { Interception } from './interception.js';

/** Parts of the helper that stand for Node's in a page; all others are the engine's own. */
const OF_THE_PAGE = new Set([
  'require',
  'binding',
  'served',
  'aside',
  'called',
  'carried',
  'jobs',
  'printed',
  'clients',
]);

const attachSchema = z.object({
  ...attachFields,
  /** The page's own frame. */
  frame: z.string(),
  /** The folder whose files its addresses stand for. */
  project: z.string(),
  /** Origins to which what it sends may carry the trace. */
  traceTo: z.array(z.string()).default([]),
});

const goToSchema = z.object({ url: z.string() });

/** Puts DAP on one page of a browser: its own thread, its workers, and frames of other origins. */
export class PageAdapter extends ProgramAdapter {
  protected override readonly runtime = 'page';
  protected override readonly more = { events: true };
  #next = MAIN;
  readonly #interceptions = new Set<Interception>();
  #isIntercepting = false;
  readonly #arrivals = new Arrivals(async (isWanted) => {
    this.#isIntercepting = isWanted;
    await Promise.all([...this.#interceptions].map((each) => each.set(isWanted)));
  });

  /** @param entry of a page that is launched, whether something has stopped before its first line */
  constructor(
    stream: Duplex,
    private readonly connection: PageConnection,
    private readonly entry?: Entry,
  ) {
    super(stream);
  }

  protected override async attach(args: unknown): Promise<undefined> {
    const fields = attachSchema.parse(args);
    this.adopt(fields);
    const { connection } = this;
    const { page } = connection;
    connection.on('closed', () => this.ended(true));
    const files = new PageFiles(fields.project);
    const reached: Reached = {
      tellsRequests: fields.requests === true,
      tellsOutput: false,
      hold: { milliseconds: 0, times: 0 },
      // Pages take no changes of code that runs.
      isEditable: false,
      folder: fields.project,
      helperPart: (name) => partOf(OF_THE_PAGE.has(name) ? agentFolder('page') : ENGINE_PARTS, name),
      pathOf: (url) => files.fileOf(url),
      comesAnew: true,
      traceTo: fields.traceTo,
      arrivals: this.#arrivals,
      hasAgent: false,
      ...(this.entry ? { entry: this.entry } : {}),
    };
    connection.on('part', (part) => {
      void this.#openPart(part, { ...reached, entry: { isTaken: true } }, files);
    });
    await this.#intercept(page, MAIN, fields.frame, files);
    await this.open(
      { channel: page, agent: page, id: MAIN, name: 'page', session: 'page' },
      { ...reached, frame: fields.frame },
    );
    await connection.joinParts();
    this.server.event('initialized');
    return undefined;
  }

  /** Has what comes to a page, or to a frame that has a process of its own, pass through us while marks want that. */
  async #intercept(channel: Channel, id: number, frame: string, files: PageFiles): Promise<void> {
    const thread = () => this.threads.get(id);
    const interception = new Interception(channel, {
      frame,
      concernsDocument: (url) => {
        const wanted = this.marks.all.filter(({ wantsCode }) => wantsCode);
        const hasScripts = thread()?.scripts.own.some((script) => script.part && script.url === url) === true;
        return wanted.some(({ place }) =>
          'path' in place ? place.path === files.fileOf(url) : hasScripts && 'name' in place,
        );
      },
      isForeign: (url) => thread()?.scripts.isForeign(url) !== false,
      bring: async (text) => await thread()?.arriving.bring(text),
      bringDocument: async (texts) => (await thread()?.arriving.bringDocument(texts)) ?? [],
      lose: async (url) => await thread()?.arriving.lose(url),
      refuse: (url, why) => {
        this.#arrivals.forget(url);
        this.#arrivals.refuse(url, why);
      },
    });
    this.#interceptions.add(interception);
    channel.on('closed', () => this.#interceptions.delete(interception));
    await interception.set(this.#isIntercepting);
  }

  async #openPart(part: Part, reached: Reached, files: PageFiles): Promise<void> {
    const { channel, sessionId, kind, title, frame } = part;
    this.#next += 1;
    const id = this.#next;
    try {
      if (kind === 'iframe') {
        await this.#intercept(channel, id, frame, files);
      }
      await this.open({ channel, agent: channel, id, name: `${kind} ${title}`, session: sessionId }, reached);
      await join(channel);
    } catch {
      // It has ended again, or runs nothing that the engine tells of.
    } finally {
      await channel.send('Runtime.runIfWaitingForDebugger', {}, anythingSchema).catch(() => undefined);
    }
  }

  protected override async configured(): Promise<void> {
    for (const thread of this.threads.values()) {
      await thread.apply();
    }
  }

  protected override moreHandlers(): Record<string, RequestHandler> {
    return {
      amberReload: () => this.#reload(),
      amberGoTo: async (args) => {
        const { url } = goToSchema.parse(args);
        // Its answer comes when the page is there, which stops before.
        void this.connection.page.send('Page.navigate', { url }, anythingSchema).catch(() => undefined);
        return undefined;
      },
    };
  }

  /** A page that is stopped is a page that answers nobody. */
  protected override serves(): boolean {
    return true;
  }

  /** Loads the page anew: nothing of a page can be given another text while it runs. */
  async #reload(): Promise<object> {
    const main = this.main;
    if (main.stop !== undefined) {
      await main.stopping.resume();
    }
    await this.connection.page.send('Page.reload', { ignoreCache: true }, anythingSchema);
    return { scripts: 0, page: true };
  }

  protected override async letGo(): Promise<void> {
    await Promise.all([...this.#interceptions].map((each) => each.set(false)));
    for (const thread of this.threads.values()) {
      await thread.takeHelperOut();
    }
    this.connection.close();
  }
}
