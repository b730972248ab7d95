import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Attached } from '../support/attached.js';
import { Browser, describePages } from '../support/browser.js';
import { HitCollector } from '../support/hits.js';
import { lineOf } from '../support/node.js';
import { until } from '../support/until.js';

/** A counter that asks for permits in every way that a page has; there is only one for permits.json. */
const COUNTER = `async function byFetch(boat) {
  const body = JSON.stringify({ boat, token: 'pearl' });
  const headers = { 'Content-Type': 'application/json' };
  const answer = await fetch('/permits?desk=4', { method: 'POST', body, headers }); // fetch
  return answer.status;
}
function byXhr(boat) {
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    request.open('POST', 'permits?desk=5');
    request.setRequestHeader('Content-Type', 'application/json');
    request.onload = () => resolve(request.status);
    request.send(JSON.stringify({ boat, token: 'pearl' })); // xhr
  });
}
function byBeacon(boat) {
  const sent = navigator.sendBeacon('/permits', JSON.stringify({ boat })); // beacon
  return sent;
}
`;

describePages('requests that a page sends', () => {
  const folder = mkdtempSync(join(tmpdir(), 'amber-sends-'));
  let browser: Browser;
  beforeAll(() => {
    writeFileSync(join(folder, 'index.html'), '<!doctype html><script src="/counter.js"></script>');
    writeFileSync(join(folder, 'counter.js'), COUNTER);
    browser = new Browser(folder);
  });
  afterAll(async () => {
    await browser.end();
    rmSync(folder, { recursive: true, force: true });
  });

  const mark = async (attached: Attached, url: string, condition?: string) => {
    const place = { kind: 'sends' as const, method: 'POST', url };
    const added = attached.store.add({ place, ...(condition ? { condition } : {}) });
    await attached.sync.send(added);
    return added;
  };

  it.each([
    ['byFetch', 'fetch', 404, 'sent.body.boat === 5'],
    ['byXhr', 'xhr', 404, 'sent.body.boat === 5'],
    ['byBeacon', 'beacon', true, 'boat === 5'],
  ])('stop at the line that sends, by %s', async (name, way, answer, condition) => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const added = await mark(attached, '/permits', condition);
    expect(attached.sync.status(added)).toMatchObject({ state: 'on', route: 'engine' });
    expect(await tab.evaluate(`${name}(4)`)).toBe(answer);
    const asking = tab.evaluate(`${name}(5)`);
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(frame?.line).toBe(lineOf(COUNTER, `// ${way}`));
    const scope = (await stop.scopes(frame?.id ?? 0)).find((each) => each.name === 'Sent');
    const parts = await stop.variables(scope?.variablesReference ?? 0);
    const told = Object.fromEntries(parts.map((part) => [part.name, part.value]));
    expect(told.url).toContain(`${browser.site}/permits`);
    expect(told.body).toMatch(/boat.*5/);
    expect(JSON.stringify(told)).not.toContain('pearl');
    expect((await stop.evaluate('boat', frame?.id, 'watch')).text).toBe('5');
    await stop.resume();
    expect(await asking).toBe(answer);
    await attached.session.detach();
    // Everything is the page's own again.
    expect(await tab.evaluate('String(fetch) + String(XMLHttpRequest.prototype.send)')).toMatch(
      /^(.*\[native code\].*){2}$/s,
    );
    expect(await tab.evaluate(`${name}(5)`)).toBe(answer);
  });

  it('are told with what is answered, also after the page has been loaded anew', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const collector = new HitCollector(attached);
    await collector.set('log', 'sends POST /permits* "{status} {sent.body.boat}"', '');
    // It stands still for it: once, so that how fast this machine is does not count (marks that take too long are left out).
    await collector.set('log', 'sends * /permits?desk=5 "{boat}" when boat === 7', '');
    expect(await tab.evaluate('byFetch(6)')).toBe(404);
    expect(await tab.evaluate('byXhr(7)')).toBe(404);
    // What it has not told yet it tells when it goes. It must neither be asked for its answer then, nor be taken for the new one.
    await tab.evaluate('window.isOld = true; setTimeout(() => location.reload()); true');
    await until(async () => (await tab.evaluate('typeof isOld + typeof byFetch')) === 'undefinedfunction');
    expect(await tab.evaluate('byFetch(8)')).toBe(404);
    const texts = (await collector.until(4)).map(({ text, error }) => text ?? error);
    expect(texts.sort()).toEqual(['404 6', '404 7', '404 8', '7']);
    await attached.session.detach();
  });
});
