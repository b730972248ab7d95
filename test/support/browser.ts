import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { extname, join } from 'node:path';
import WebSocket from 'ws';
import { z } from 'zod';
import { type Page, pagesOf } from '../../runtimes/page/browsers.js';
import { openPage } from '../../runtimes/page/open.js';
import { pageTarget } from '../../runtimes/page/target.js';
import { Session } from '../../src/core/session/session.js';
import { Attached } from './attached.js';
import { realClock } from './clock.js';
import { until } from './until.js';

const PROGRAM = ['chromium', 'google-chrome'].find((name) => spawnSync(name, ['--version']).status === 0);

/** Pages are tried where there is a browser; in CI there has to be one. */
export const describePages = PROGRAM !== undefined || process.env.CI ? describe : describe.skip;
export const hasBrowser = PROGRAM !== undefined;

const TYPES: Record<string, string> = { '.html': 'text/html', '.js': 'text/javascript' };

/** A headless browser with a profile of its own, and a server of the files in a folder. */
export class Browser {
  readonly #profile = mkdtempSync(join(tmpdir(), 'amber-browser-'));
  readonly #child: ChildProcess;
  readonly #server: Server;
  #clients: WebSocket[] = [];

  /** @param answer answers what is no file of the folder; it says whether it has */
  constructor(
    private readonly folder: string,
    answer: (request: IncomingMessage, response: ServerResponse) => boolean = () => false,
  ) {
    this.#server = createServer((request, response) => {
      if (answer(request, response)) {
        return;
      }
      const path = join(this.folder, new URL(request.url ?? '/', 'http://localhost').pathname);
      if (!existsSync(path)) {
        response.writeHead(404).end();
        return;
      }
      response.writeHead(200, { 'Content-Type': TYPES[extname(path)] ?? 'text/plain' });
      response.end(readFileSync(path));
    });
    this.#server.listen(0, '127.0.0.1');
    const args = [
      '--headless=new',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-dev-shm-usage',
      '--no-first-run',
      '--remote-debugging-port=0',
      `--user-data-dir=${this.#profile}`,
      'about:blank',
    ];
    this.#child = spawn(PROGRAM ?? 'chromium', args, { stdio: 'ignore', detached: true });
  }

  get pid(): number {
    return this.#child.pid ?? 0;
  }

  /** `http://127.0.0.1:PORT` of the server. */
  get site(): string {
    return `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}`;
  }

  async #address(): Promise<string> {
    const file = join(this.#profile, 'DevToolsActivePort');
    await until(() => existsSync(file) && readFileSync(file, 'utf8').includes('\n'));
    return `127.0.0.1:${readFileSync(file, 'utf8').split('\n')[0]}`;
  }

  async pages(): Promise<Page[]> {
    const address = await this.#address();
    let found: Page[] | undefined;
    await until(async () => {
      found = (await pagesOf(address))?.pages;
      return found !== undefined;
    });
    return found ?? [];
  }

  /** Opens a page of the site, or of another one, in a tab of its own, once it is loaded. */
  async visit(path: string): Promise<Tab> {
    const address = await this.#address();
    const url = new URL(path, this.site).href;
    const opened = await fetch(`http://${address}/json/new?${url}`, { method: 'PUT' });
    const { id } = (await opened.json()) as { id: string };
    let page: Page | undefined;
    await until(async () => {
      page = (await this.pages()).find((one) => one.id === id && one.socket !== undefined);
      return page !== undefined;
    });
    const socket = new WebSocket(page?.socket ?? '');
    this.#clients.push(socket);
    await new Promise((done) => socket.once('open', done));
    const tab = new Tab(page as Page, socket, this.folder);
    // The empty document that a tab begins with is complete, too.
    const state = async () => await tab.evaluate("document.readyState + ' ' + location.href");
    await until(async () => (await state()) === `complete ${url}`);
    return tab;
  }

  async end(): Promise<void> {
    for (const client of this.#clients) {
      client.terminate();
    }
    const gone = new Promise((done) => this.#child.once('exit', done));
    process.kill(-this.pid, 'SIGKILL');
    await gone;
    this.#server.closeAllConnections();
    this.#server.close();
    // Processes of the browser's may write for a moment more.
    rmSync(this.#profile, { recursive: true, force: true, maxRetries: 10, retryDelay: 100 });
  }
}

const answerSchema = z.object({
  id: z.number().optional(),
  result: z.object({ result: z.object({ value: z.unknown().optional() }).optional() }).optional(),
});

/** One tab, with a client of the test's own beside ours. */
export class Tab {
  #id = 0;
  readonly #waiting = new Map<number, (value: unknown) => void>();

  constructor(
    readonly page: Page,
    private readonly socket: WebSocket,
    private readonly folder: string,
  ) {
    socket.on('message', (data) => {
      const { id, result } = answerSchema.parse(JSON.parse(String(data)));
      this.#waiting.get(id ?? 0)?.(result?.result?.value);
    });
  }

  send(method: string, params: object): Promise<unknown> {
    this.#id += 1;
    const id = this.#id;
    const answer = new Promise((done) => this.#waiting.set(id, done));
    this.socket.send(JSON.stringify({ id, method, params }));
    return answer;
  }

  /** What an expression comes to in the page; a promise is awaited. */
  evaluate(expression: string): Promise<unknown> {
    return this.send('Runtime.evaluate', { expression, awaitPromise: true, returnByValue: true });
  }

  async attach(args: Record<string, unknown> = {}): Promise<Attached> {
    const at = { pid: 1, address: '', folder: this.folder, age: 1, parent: 1 };
    const target = pageTarget(this.page, at, '');
    const opening = await openPage(
      { pid: 1, target },
      {
        environment: process.env,
        onlyMine: false,
        documentRoot: undefined,
        project: this.folder,
        agree: async () => undefined,
        tell: () => undefined,
      },
    );
    const session = new Session(await opening.connect(), {
      clock: realClock,
      attach: { ...opening.attach, ...args },
    });
    await session.open(async () => undefined);
    return new Attached(session);
  }
}
