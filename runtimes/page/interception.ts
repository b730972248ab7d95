import { z } from 'zod';
import type { ArrivingText } from '../../engines/v8/arrivals.js';
import type { Channel } from '../../engines/v8/channel.js';
import { partOf } from '../../engines/v8/parts.js';
import { anythingSchema } from '../../engines/v8/protocol.js';
import { patient } from '../../src/core/patience.js';
import { agentFolder } from '../../src/installation.js';
import { type InlineScript, inlineScripts } from './inline-scripts.js';

/** Milliseconds for which a script waits at most, once its text is there, for what is put into it. */
const LONGEST = 3_000;
/** Milliseconds between two questions to a document that is being read. */
const ASKED_AGAIN = 20;
/** Milliseconds in which a document came that is waited for as a whole the next time. */
const WHOLE = 2_000;
/** Bytes of a text that is read. */
const MOST = 20_000_000;

const headersSchema = z.array(z.object({ name: z.string(), value: z.string() }));
type Headers = z.infer<typeof headersSchema>;
const pausedSchema = z.object({
  requestId: z.string(),
  request: z.object({ url: z.string(), method: z.string() }),
  resourceType: z.string(),
  frameId: z.string().default(''),
  responseStatusCode: z.number().optional(),
  responseHeaders: headersSchema.default([]),
});
type Paused = z.infer<typeof pausedSchema>;
const bodySchema = z.object({ body: z.string(), base64Encoded: z.boolean() });
const askedSchema = z.object({
  result: z.object({ value: z.tuple([z.boolean(), z.string(), z.boolean()]) }),
});

const wholeSchema = z.object({ result: z.object({ value: z.string() }) });

const CHECKED = 'the document says of which text the script must be (integrity)';
const HASHED = 'the policy of the document says of which text its scripts must be (a hash)';
const IN_PIECES = 'the document comes in pieces';
const OTHER_LETTERS = 'it is not known to be UTF-8';
const CUT = 'it would end the script of the document that it is put into';
const TOO_LONG = 'it took too long to put it in';

/** What would end the script, or begin another one, in the text of a document. */
const NOT_IN_DOCUMENTS = /<!--|<\/?script/i;
/** Headers that say of the text what is not true of another one, or that let it be kept for later. */
const OF_THE_TEXT = new Set([
  'content-length',
  'content-encoding',
  'transfer-encoding',
  'cache-control',
  'expires',
  'etag',
  'last-modified',
]);

/** What is to run in the place of a document's own script. */
interface Part {
  script: InlineScript;
  text: string;
}

/** What is to be done with the texts of one page. */
export interface Intercepted {
  /** The page's own frame, or that of a part of it. */
  frame: string;
  /** Whether a mark may be in a document's own scripts. */
  concernsDocument(url: string): boolean;
  isForeign(url: string): boolean;
  /** What is to run in the place of a script; undefined: it stays as it is. */
  bring(text: ArrivingText): Promise<string | undefined>;
  /** The same for each script in a document. */
  bringDocument(texts: readonly ArrivingText[]): Promise<(string | undefined)[]>;
  /** A script that was brought has not got through. */
  lose(url: string): Promise<void>;
  /** A text stays as it is, and this is why. */
  refuse(url: string, why: string): void;
}

/**
 * Has the scripts of a page, and the documents in which some stand, pass through us on their way in (the Fetch domain, at the
 * response). Whatever goes wrong here: what has come goes on as it came.
 */
export class Interception {
  #isOn = false;
  /** The address of the document that is there, if it came whole soon after it began. */
  #whole = '';

  constructor(
    private readonly channel: Channel,
    private readonly page: Intercepted,
  ) {
    channel.on('event', (method, params) => {
      if (method === 'Fetch.requestPaused') {
        void this.#pass(pausedSchema.parse(params));
      } else if (method === 'Page.loadEventFired' && this.#isOn) {
        void this.#lookWhole();
      }
    });
  }

  async set(isOn: boolean): Promise<void> {
    if (isOn === this.#isOn) {
      return;
    }
    this.#isOn = isOn;
    const patterns = ['Script', 'Document'].map((resourceType) => ({
      urlPattern: '*',
      resourceType,
      requestStage: 'Response',
    }));
    const [method, args] = isOn ? ['Fetch.enable', { patterns }] : ['Fetch.disable', {}];
    await this.channel.send(method, args, anythingSchema).catch(() => undefined);
    if (isOn) {
      await this.channel.send('Page.enable', {}, anythingSchema).catch(() => undefined);
      void this.#lookWhole();
    }
  }

  async #pass(paused: Paused): Promise<void> {
    const { requestId, responseStatusCode, responseHeaders, request } = paused;
    const isFit = responseStatusCode === 200 && request.method === 'GET' && !this.page.isForeign(request.url);
    const text = isFit ? await this.#rewritten(paused).catch(() => undefined) : undefined;
    if (text === undefined) {
      await this.channel.tell('Fetch.continueRequest', { requestId });
      return;
    }
    await this.channel.tell('Fetch.fulfillRequest', {
      requestId,
      responseCode: responseStatusCode,
      responseHeaders: headersFor(responseHeaders),
      body: Buffer.from(text).toString('base64'),
    });
  }

  /** The text that is to come in place of the one that has; undefined: none. */
  async #rewritten(paused: Paused): Promise<string | undefined> {
    const isDocument = paused.resourceType === 'Document';
    const { url } = paused.request;
    const length = header(paused.responseHeaders, 'content-length');
    if (Number(length ?? 0) > MOST || (isDocument && !this.page.concernsDocument(url))) {
      return undefined;
    }
    if (isDocument && length === undefined && this.#whole !== url) {
      // One that is never finished would never be shown: once it is asked for, its text cannot be let through in pieces.
      this.page.refuse(url, IN_PIECES);
      return undefined;
    }
    const { requestId } = paused;
    const { body, base64Encoded } = await this.channel.send(
      'Fetch.getResponseBody',
      { requestId },
      bodySchema,
    );
    const bytes = Buffer.from(body, base64Encoded ? 'base64' : 'utf8');
    return await this.#inTime(url, () =>
      isDocument ? this.#inDocument(paused, bytes) : this.#inScript(paused, bytes),
    );
  }

  async #inTime(url: string, work: () => Promise<string | undefined>): Promise<string | undefined> {
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<'late'>((done) => {
      timer = setTimeout(done, patient(LONGEST), 'late');
    });
    const working = work();
    const text = await Promise.race([working, late]);
    clearTimeout(timer);
    if (text !== 'late') {
      return text;
    }
    this.page.refuse(url, TOO_LONG);
    void working.then(
      () => this.page.lose(url),
      () => undefined,
    );
    return undefined;
  }

  async #inScript({ request: { url }, frameId, responseHeaders }: Paused, bytes: Buffer) {
    const letters = charsetOf(responseHeaders, bytes);
    const text = bytes.toString('utf8').replace(/^\uFEFF/, '');
    const place = { url, text, startLine: 0, startColumn: 0, endLine: 0 };
    const sourceMapURL = header(responseHeaders, 'sourcemap') ?? header(responseHeaders, 'x-sourcemap');
    const brought = await this.page.bring({ ...place, sourceMapURL });
    if (brought === undefined) {
      return undefined;
    }
    const asked = await this.#asked(url, frameId).catch(() => undefined);
    const [isChecked, ofDocument] = asked ?? [false, letters ?? ''];
    const why = isChecked ? CHECKED : isUtf8(letters ?? ofDocument) ? '' : OTHER_LETTERS;
    if (asked !== undefined && why === '') {
      return brought;
    }
    await this.page.lose(url);
    if (asked !== undefined) {
      this.page.refuse(url, why);
    }
    return undefined;
  }

  /** Asks the document that is there now; while the next one is on its way nobody answers. */
  async #lookWhole(): Promise<void> {
    const expression = `(${partOf(agentFolder('page'), 'whole')})(${WHOLE})`;
    const args = { expression, silent: true, returnByValue: true, timeout: 1_000 };
    const asked = this.channel.send('Runtime.evaluate', args, wholeSchema);
    this.#whole = await asked.then(
      ({ result }) => result.value,
      () => '',
    );
  }

  /**
   * What the document says of a script, as soon as it has been read as far as where that stands; undefined: it was not in time.
   */
  async #asked(url: string, frameId: string): Promise<[boolean, string] | undefined> {
    const late = Date.now() + patient(LONGEST);
    for (;;) {
      const [isChecked, letters, isKnown] = await this.#ask(url, frameId);
      if (isKnown || Date.now() > late) {
        return isKnown ? [isChecked, letters] : undefined;
      }
      await new Promise((done) => setTimeout(done, ASKED_AGAIN));
    }
  }

  /** Whether the document has a script of this address checked, its letters, and whether it knows that yet. */
  async #ask(url: string, frameId: string): Promise<[boolean, string, boolean]> {
    const isOwn = frameId === this.page.frame;
    const expression = `${partOf(agentFolder('page'), 'checked')}(${JSON.stringify(url)}, ${isOwn})`;
    const args = { expression, silent: true, returnByValue: true, timeout: 1_000 };
    const { result } = await this.channel.send('Runtime.evaluate', args, askedSchema);
    return result.value;
  }

  async #inDocument({ request: { url }, responseHeaders }: Paused, bytes: Buffer) {
    const letters = charsetOf(responseHeaders, bytes) ?? metaCharset(bytes);
    // A browser takes all ends of lines for the same one.
    const html = bytes.toString('utf8').replace(/\r\n?/g, '\n');
    const scripts = inlineScripts(html).filter(isSeparate);
    const brought = await this.page.bringDocument(scripts.map((script) => ({ ...script, url })));
    const policies = [
      ...responseHeaders
        .filter(({ name }) => /^content-security-policy$/i.test(name))
        .map(({ value }) => value),
      ...html.matchAll(/<meta[^>]*content-security-policy[^>]*>/gi),
    ];
    const parts = scripts.flatMap((script, index) => {
      const text = brought[index];
      return text === undefined ? [] : [{ script, text }];
    });
    const isHashed = policies.some((policy) => /'sha\d+-/.test(String(policy)));
    const why = isHashed ? HASHED : parts.some(isCut) ? CUT : isUtf8(letters ?? '') ? '' : OTHER_LETTERS;
    if (why !== '' && parts.length > 0) {
      this.page.refuse(url, why);
      return undefined;
    }
    return parts.length === 0 ? undefined : withTexts(html, parts);
  }
}

/** Whether a script may have longer lines without another one being somewhere else. */
function isSeparate(script: InlineScript, _: number, all: readonly InlineScript[]): boolean {
  return !all.some((other) => other.offset > script.offset && other.startLine === script.endLine);
}

/** Whether a text would end its script, or begin another one, where the one before did not. */
function isCut({ script, text }: Part): boolean {
  return text.split(NOT_IN_DOCUMENTS).length !== script.text.split(NOT_IN_DOCUMENTS).length;
}

function withTexts(html: string, parts: readonly Part[]): string {
  let text = '';
  let from = 0;
  for (const { script, text: rewritten } of parts) {
    text += html.slice(from, script.offset) + rewritten;
    from = script.offset + script.text.length;
  }
  return text + html.slice(from);
}

function header(headers: Headers, wanted: string): string | undefined {
  return headers.find(({ name }) => name.toLowerCase() === wanted)?.value;
}

/** The letters that a text is known to be written in by itself; undefined where its document decides. */
function charsetOf(headers: Headers, bytes: Buffer): string | undefined {
  const named = /charset\s*=\s*"?([\w-]+)/i.exec(header(headers, 'content-type') ?? '')?.[1];
  const isMarked = bytes.subarray(0, 3).equals(Buffer.from([0xef, 0xbb, 0xbf]));
  return named ?? (isMarked || bytes.every((byte) => byte < 0x80) ? 'utf-8' : undefined);
}

/** As the document says of itself within its first 1,024 bytes (HTML, "prescan a byte stream"). */
function metaCharset(bytes: Buffer): string | undefined {
  return /<meta[^>]+charset\s*=\s*["']?([\w-]+)/i.exec(bytes.subarray(0, 1024).toString('latin1'))?.[1];
}

function isUtf8(letters: string): boolean {
  return /^utf-?8$/i.test(letters);
}

/** It must not be kept: what is put into it is for this one load. */
function headersFor(headers: Headers): Headers {
  const kept = headers.filter(
    ({ name }) => !OF_THE_TEXT.has(name.toLowerCase()) && !/^content-type$/i.test(name),
  );
  const [type = 'text/javascript'] = (header(headers, 'content-type') ?? '').split(';');
  return [
    ...kept,
    { name: 'Content-Type', value: `${type}; charset=utf-8` },
    { name: 'Cache-Control', value: 'no-store' },
  ];
}
