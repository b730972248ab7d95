import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { build } from 'esbuild';
import { startAmber } from '../../../test/support/amber.js';
import { whereIs } from '../../../test/support/attached.js';
import { Browser, describePages, type Tab } from '../../../test/support/browser.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf } from '../../../test/support/node.js';
import { until } from '../../../test/support/until.js';

const DESK = `let taken = 0;
const opened = book('first', 1);
function book(name, seats) {
  const fare = seats * 7;
  taken += seats;  // [taken]
  if (seats > 90) taken = 0;
  return fare;
}
const double = (seats) =>
  book('double', seats * 2);
`;
const INDEX = `<!doctype html>\r
<meta charset="utf-8"><title>Fähre</title>\r
<script>\r
  function early(n) {\r
    return n + 1;\r
  }\r
  window.began = early(1);\r
</script>\r
<script src="/desk.js"></script>\r
<script type="module">\r
  import { later } from '/module.js';\r
  window.later = later;\r
  window.ready = true;\r
</script>\r
`;
const MODULE = `export function later(n) {
  const twice = n * 2;
  return twice;
}
`;
const TYPED = `interface Booking { name: string; seats: number }
export function total(list: Booking[]): number {
  let sum = 0;
  for (const booking of list) {
    sum += booking.seats;
  }
  return sum;
}
(globalThis as { total?: unknown }).total = total;
`;
const checked = (text: string) => `sha384-${createHash('sha384').update(text).digest('base64')}`;
const INLINE = `
  function early(n) {
    return n + 1;
  }
  window.began = early(1);
`;
const HASHED = `sha256-${createHash('sha256').update(INLINE).digest('base64')}`;

describePages('code that comes to a page', () => {
  const folder = mkdtempSync(join(tmpdir(), 'amber-arrivals-'));
  const desk = join(folder, 'desk.js');
  const line = (text: string) => lineOf(DESK, text);
  let browser: Browser;
  beforeAll(async () => {
    const files = { 'index.html': INDEX, 'desk.js': DESK, 'module.js': MODULE, 'total.ts': TYPED };
    for (const [name, text] of Object.entries(files)) {
      writeFileSync(join(folder, name), text);
    }
    writeFileSync(join(folder, 'bundled.html'), '<!doctype html><script src="/total.js"></script>');
    writeFileSync(
      join(folder, 'hashed.html'),
      `<!doctype html><meta charset="utf-8"><script>${INLINE}</script>`,
    );
    writeFileSync(
      join(folder, 'checked.html'),
      `<!doctype html><script src="/desk.js" integrity="${checked(DESK)}"></script>`,
    );
    writeFileSync(
      join(folder, 'ahead.html'),
      `<!doctype html><script src="/slow.js"></script><script src="/desk.js" integrity="${checked(DESK)}"></script>`,
    );
    writeFileSync(
      join(folder, 'added.html'),
      `<!doctype html><script>const added = document.createElement('script');
        added.src = '/desk.js'; added.integrity = '${checked(DESK)}'; document.head.append(added);</script>`,
    );
    await build({
      entryPoints: [join(folder, 'total.ts')],
      outfile: join(folder, 'total.js'),
      bundle: true,
      minify: true,
      sourcemap: true,
      format: 'iife',
    });
    browser = new Browser(folder, (request, response) => {
      const { pathname, search } = new URL(request.url ?? '/', 'http://localhost');
      if (pathname === '/desk.js') {
        // As it comes from many: compressed, in pieces, to be kept.
        const headers = { 'Content-Type': 'text/javascript', 'Content-Encoding': 'gzip', ETag: '"1"' };
        response.writeHead(200, { ...headers, 'Cache-Control': 'max-age=60' });
        response.end(gzipSync(DESK));
        return true;
      }
      if (pathname === '/slow.js') {
        // The browser asks for what comes after it meanwhile, and has not read that far.
        setTimeout(() => response.setHeader('Content-Type', 'text/javascript').end(), 500);
        return true;
      }
      if (pathname === '/hashed.html' || search === '?pieces') {
        const text = readFileSync(join(folder, pathname));
        response.setHeader('Content-Type', 'text/html');
        if (search === '?pieces') {
          // It never ends.
          response.write(text);
        } else {
          response.setHeader('Content-Security-Policy', `script-src '${HASHED}'`);
          response.setHeader('Content-Length', text.length).end(text);
        }
        return true;
      }
      return false;
    });
    await browser.pages();
  });
  afterAll(async () => {
    await browser.end();
    rmSync(folder, { recursive: true, force: true });
  });
  const loaded = async (tab: Tab) =>
    await until(async () => (await tab.evaluate('document.readyState')) === 'complete');

  it('has marks in it after a load: conditions, counters, values, rules; and nothing of them after we have gone', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const counter = await hits.set('count', `desk.js:${line('[taken]')}`, desk);
    expect((await hits.status(counter)).note).toContain('spliced at the next load');
    const log = await hits.set('log', `desk.js:${line('const fare')} "{name} {seats}" when seats < 3`, desk);
    const broken = await hits.set(
      'break',
      `desk.js:${line('if (seats > 90)')} when seats == 91 hits 2`,
      desk,
    );
    const inArrow = await hits.set('log', `desk.js:${line("book('double'")} "arrow {seats}"`, desk);
    await attached.session.reload('', '');
    await until(async () => (await tab.evaluate('window.ready')) === true);
    // From the first line on.
    expect((await hits.until(1)).map(({ text }) => text)).toEqual(['first 1']);
    for (const mark of [counter, log, broken, inArrow]) {
      expect(await hits.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
    }
    const passes = 'for (let i = 0; i < 20000; i += 1) book("other", 5)';
    await tab.evaluate(passes);
    expect((await hits.status(counter)).hits).toBe(20_001);
    await tab.evaluate('book("other", 91)');
    const stopping = tab.evaluate('book("second", 91)');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`book:${line('if (seats > 90)')}`);
    const [frame] = await stop.frames();
    expect((await stop.evaluate('name + fare', frame?.id ?? 0, 'repl')).text).toBe("'second637'");
    const { at, stop: next } = await attached.step(stop, 'over');
    expect(at).toBe(`book:${line('if (seats > 90)')}`);
    await next.resume();
    expect(await stopping).toBe(637);
    // What is dropped stays in the page until it is loaded anew, and does nothing.
    attached.store.drop(counter.number);
    attached.store.drop(broken.number);
    await attached.sync.send();
    await tab.evaluate('book("third", 91); book("fourth", 91); book("third", 91)');
    const again = await hits.set('count', `desk.js:${line('[taken]')}`, desk);
    expect((await hits.status(again)).note).toContain('spliced at the next load');
    await tab.evaluate('double(1)');
    expect((await hits.status(again)).hits).toBe(1);
    expect(
      (await hits.until(3))
        .map(({ text }) => text)
        .slice(1)
        .sort(),
    ).toEqual(['arrow 1', 'double 2']);
    await attached.session.detach();
    expect(await tab.evaluate('[double(2), typeof globalThis["$amberLantern"]]')).toEqual([28, 'undefined']);
    await tab.send('Page.reload', {});
    await until(async () => (await tab.evaluate('window.ready')) === true);
    expect(await tab.evaluate('String(book)')).toBe(
      DESK.slice(DESK.indexOf('function book'), DESK.indexOf('const double') - 1),
    );
  });

  it('is no obstacle to the next session, which finds it in the page', async () => {
    const tab = await browser.visit('/index.html');
    const before = await tab.attach();
    const earlier = new HitCollector(before);
    await earlier.set('break', `desk.js:${line('[taken]')} when seats == 3`, desk);
    await earlier.set('log', `desk.js:${line('const fare')} "{name}" when seats == 3`, desk);
    await before.session.reload('', '');
    await until(async () => (await tab.evaluate('window.ready')) === true);
    await until(async () => String(await tab.evaluate('String(book)')).includes('$amber'));
    await before.session.detach();
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const mark = await hits.set('break', `desk.js:${line('[taken]')} when seats == 4`, desk);
    expect(await hits.status(mark)).toMatchObject({ state: 'on', route: 'engine', line: line('[taken]') });
    expect(await tab.evaluate('book("third", 3)')).toBe(21);
    const stopping = tab.evaluate('book("fourth", 4)');
    const stop = await attached.stop();
    const { at, stop: next } = await attached.step(stop, 'over');
    expect(at).toBe(`book:${line('if (seats > 90)')}`);
    expect((await next.frames())[0]?.source?.path).toBe(desk);
    await next.resume();
    expect(await stopping).toBe(28);
    expect(hits.hits).toEqual([]);
    await attached.session.detach();
  });

  it('has them in a document, in modules, and in what a bundler has made small', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const html = join(folder, 'index.html');
    const marks = [
      await hits.set('log', `index.html:${lineOf(INDEX, 'return n + 1')} "early {n} ä"`, html),
      await hits.set(
        'log',
        `module.js:${lineOf(MODULE, 'return twice')} "{twice}"`,
        join(folder, 'module.js'),
      ),
    ];
    await attached.session.reload('', '');
    await until(async () => (await tab.evaluate('window.ready')) === true);
    await tab.evaluate('later(4)');
    expect((await hits.until(2)).map(({ text }) => text)).toEqual(['early 1 ä', '8']);
    for (const mark of marks) {
      expect(await hits.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
    }
    expect(await tab.evaluate('[document.title, document.characterSet]')).toEqual(['Fähre', 'UTF-8']);
    const path = join(folder, 'total.ts');
    const at = lineOf(TYPED, 'sum += booking.seats');
    const mark = await hits.set('break', `total.ts:${at} when booking.seats > 2`, path);
    void tab.send('Page.navigate', { url: `${browser.site}/bundled.html` });
    await until(async () => (await tab.evaluate('typeof globalThis.total')) === 'function');
    await until(async () => (await hits.status(mark)).route === 'spliced');
    const total = tab.evaluate("total([{ name: 'Aino', seats: 2 }, { name: 'Holm', seats: 3 }])");
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(frame).toMatchObject({ line: at, source: { path } });
    expect((await stop.evaluate('booking.name', frame?.id ?? 0, 'repl')).text).toBe("'Holm'");
    await stop.resume();
    expect(await total).toBe(5);
    await attached.session.detach();
  });

  it.each([
    ['checked.html', 'of which text the script must be'],
    ['added.html', 'of which text the script must be'],
    ['ahead.html', 'of which text the script must be'],
  ])('is left as it is where the document checks it: %s', async (page, why) => {
    const tab = await browser.visit(`/${page}`);
    await until(async () => (await tab.evaluate('typeof book')) === 'function');
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const mark = await hits.set('count', `desk.js:${line('[taken]')}`, desk);
    await attached.session.reload('', '');
    await loaded(tab);
    await until(async () => (await tab.evaluate('typeof book')) === 'function');
    expect(await tab.evaluate('book("Aino", 2)')).toBe(14);
    await until(async () => (await hits.status(mark)).hits === 2);
    expect(await hits.status(mark)).toMatchObject({ state: 'on', route: 'engine' });
    expect((await hits.status(mark)).note).toContain(why);
    await attached.session.detach();
  });

  it.each([
    ['hashed.html', 'a hash'],
    ['hashed.html?pieces', 'comes in pieces'],
  ])('is left as it is where a document does not take it: %s', async (page, why) => {
    const tab = await browser.visit('/checked.html');
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const html = join(folder, 'hashed.html');
    const at = 2 + INLINE.slice(0, INLINE.indexOf('return')).split('\n').length - 2;
    const mark = await hits.set('count', `hashed.html:${at}`, html);
    void tab.send('Page.navigate', { url: `${browser.site}/${page}` });
    await until(async () => (await tab.evaluate('window.began')) === 2);
    await until(async () => (await hits.status(mark)).hits === 1);
    expect((await hits.status(mark)).note).toContain(why);
    await attached.session.detach();
  });

  it('counts once where a script comes out of a cache as it was', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const counter = await hits.set('count', `desk.js:${line('[taken]')}`, desk);
    for (let round = 1; round <= 3; round += 1) {
      await tab.evaluate('window.ready = false; location.reload()');
      await until(async () => (await tab.evaluate('window.ready')) === true);
      // What was counted in the documents before is not lost with them.
      await until(async () => (await hits.status(counter)).hits === 2 * round - 1);
      await tab.evaluate('book("Aino", 1)');
      expect((await hits.status(counter)).hits).toBe(2 * round);
      await attached.sync.send();
    }
    // From memory, as it was before.
    expect(await hits.status(counter)).toMatchObject({ route: 'engine' });
    expect((await hits.status(counter)).note).toContain('did not come through amber');
    await attached.session.reload('', '');
    await until(async () => (await hits.status(counter)).route === 'spliced');
    await attached.session.detach();
  });

  it('comes as it is when amber is killed, and nothing of what has come is in its way', async () => {
    const tab = await browser.visit('/index.html');
    const { host } = new URL(browser.site);
    const amber = startAmber(
      ['attach', `page:${host}/index.html`, '--log', `${desk}:${line('[taken]')} "{name}"`],
      { cwd: folder },
    );
    await amber.shows('mark 1 ');
    await tab.send('Page.reload', { ignoreCache: true });
    await until(async () => String(await tab.evaluate('String(globalThis.book)')).includes('$amber'));
    amber.child.kill('SIGKILL');
    await amber.ended;
    expect(await tab.evaluate('book("Aino", 2)')).toBe(14);
    await tab.evaluate('window.ready = false');
    await tab.send('Page.reload', {});
    await until(async () => (await tab.evaluate('window.ready')) === true);
    expect(await tab.evaluate('String(book).includes("$amber")')).toBe(false);
  });
});
