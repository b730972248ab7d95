import { existsSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from 'esbuild';
import { parseMark } from '../../../src/core/marks/grammar.js';
import type { Mark } from '../../../src/core/marks/store.js';
import { childrenOf, runAmber, startAmber } from '../../../test/support/amber.js';
import { type Attached, whereIs } from '../../../test/support/attached.js';
import { Browser, describePages, type Tab } from '../../../test/support/browser.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf } from '../../../test/support/node.js';
import { until } from '../../../test/support/until.js';

const COUNTER = `let bookings = [];
function book(name, seats) {
  const booking = { name, seats, token: 'pearl' };
  bookings.push(booking);
  return bookings.length;
}
document.getElementById('add').addEventListener('click', async (event) => {
  const before = bookings.length;
  await Promise.resolve();
  const count = book('Aino', before + 1);
  document.title = count + ' bookings';
});
console.log('counter is there', book('first', 1));
`;
const INDEX = `<!doctype html>
<title>Counter</title>
<button id="add" class="big blue">book</button>
<script>
  function early(n) {
    return n + 1;
  }
  window.began = early(1);
</script>
<script src="/counter.js"></script>
<script type="module">
  export function inModule(n) {
    return n * 2;
  }
  window.doubled = inModule(4);
</script>
`;
const WORKER = `onmessage = (event) => {
  const sum = event.data + 1;
  postMessage(sum);
};
`;
const SERVICE = `addEventListener('install', () => skipWaiting());
addEventListener('activate', (event) => event.waitUntil(clients.claim()));
function answer(path) {
  const fare = path.length * 7;
  return new Response(String(fare));
}
addEventListener('fetch', (event) => {
  const { pathname } = new URL(event.request.url);
  if (pathname.startsWith('/fare/')) {
    event.respondWith(answer(pathname));
  }
});
`;
const FRAME = `<!doctype html>
<script>
  function inFrame(n) {
    return n + 7;
  }
  addEventListener('message', () => parent.postMessage(inFrame(1), '*'));
</script>
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
const COMPONENT = `import { h, render } from 'preact';
import { useState } from 'preact/hooks';
function Counter() {
  const [seats, setSeats] = useState(0);
  const book = () => {
    const next = seats + 1;
    setSeats(next);
    document.title = next + ' seats';
  };
  return <p><button id="book" onClick={book}>{seats} seats</button><i onClick={Object}>i</i></p>;
}
render(<Counter />, document.body);
addEventListener('begin', () => {
  document.getElementById('book').click();
});
`;

describePages('pages of a browser', () => {
  const folder = mkdtempSync(join(tmpdir(), 'amber-page-'));
  let browser: Browser;
  beforeAll(async () => {
    writeFileSync(join(folder, 'index.html'), INDEX);
    writeFileSync(join(folder, 'counter.js'), COUNTER);
    writeFileSync(join(folder, 'worker.js'), WORKER);
    writeFileSync(join(folder, 'service.js'), SERVICE);
    writeFileSync(join(folder, 'frame.html'), FRAME);
    writeFileSync(join(folder, 'total.ts'), TYPED);
    await build({
      entryPoints: [join(folder, 'total.ts')],
      outfile: join(folder, 'bundle.js'),
      bundle: true,
      minify: true,
      sourcemap: true,
      format: 'iife',
    });
    // Where a bundler looks for packages.
    symlinkSync(join(__dirname, '../../../node_modules'), join(folder, 'node_modules'));
    writeFileSync(join(folder, 'counter.jsx'), COMPONENT);
    await build({
      entryPoints: [join(folder, 'counter.jsx')],
      outfile: join(folder, 'component.js'),
      jsxFactory: 'h',
      bundle: true,
      minify: true,
      sourcemap: true,
      format: 'iife',
    });
    writeFileSync(
      join(folder, 'component.html'),
      '<!doctype html><title>Component</title><body><script src="/component.js"></script>',
    );
    writeFileSync(join(folder, 'bundled.html'), '<!doctype html><script src="/bundle.js"></script>');
    browser = new Browser(folder);
    await browser.pages();
  });
  afterAll(async () => {
    await browser.end();
    rmSync(folder, { recursive: true, force: true });
  });
  const counter = (text: string) => lineOf(COUNTER, text);

  it('stop in a listener, tell values, step through an await, and hide what is secret', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    await attached.mark(join(folder, 'counter.js'), counter('const before'));
    const clicked = tab.evaluate("document.getElementById('add').click()");
    let stop = await attached.stop();
    expect(await whereIs(stop)).toContain(`:${counter('const before')}`);
    const [frame] = await stop.frames();
    const { text } = await stop.evaluate('event.target', frame?.id ?? 0, 'repl');
    expect(text).toBe('button#add.big.blue');
    ({ stop } = await attached.step(stop, 'over'));
    let at = '';
    ({ stop, at } = await attached.step(stop, 'over'));
    expect(at).toContain(`:${counter('const count')}`);
    ({ stop, at } = await attached.step(stop, 'into'));
    expect(at).toBe(`book:${counter('const booking')}`);
    ({ stop, at } = await attached.step(stop, 'over'));
    const [inner] = await stop.frames();
    const booking = await stop.evaluate('booking', inner?.id ?? 0, 'repl');
    expect(booking.text).toContain("name: 'Aino'");
    expect(booking.text).not.toContain('pearl');
    await stop.resume();
    await clicked;
    await until(async () => (await tab.evaluate('document.title')) === '2 bookings');
    await attached.session.detach();
  });

  it('find marks from their first line on after a load, in the document, its files and its modules', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const html = join(folder, 'index.html');
    await hits.set('log', `index.html:${lineOf(INDEX, 'return n + 1')} "{n}"`, html);
    await hits.set('log', `index.html:${lineOf(INDEX, 'return n * 2')} "{n}"`, html);
    await hits.set(
      'log',
      `counter.js:${counter('bookings.push')} "{name}" hits 1`,
      join(folder, 'counter.js'),
    );
    await attached.session.reload('', '');
    expect((await hits.until(3)).map(({ text }) => text)).toEqual(['1', 'first', '4']);
    // And again: nothing of it was used up.
    await attached.session.reload('', '');
    expect((await hits.until(5)).length).toBeGreaterThanOrEqual(5);
    await attached.session.detach();
    expect(await tab.evaluate("typeof globalThis['$amberLantern']")).toBe('undefined');
  });

  it('wait for files of pages that come later, of workers and of frames', async () => {
    const tab = await browser.visit('/bundled.html');
    const attached = await tab.attach();
    await attached.mark(join(folder, 'counter.js'), counter('bookings.push'), "name == 'first'");
    await attached.mark(join(folder, 'worker.js'), lineOf(WORKER, 'const sum'));
    await attached.mark(join(folder, 'frame.html'), lineOf(FRAME, 'return n + 7'));
    void tab.send('Page.navigate', { url: `${browser.site}/index.html` });
    const first = await attached.stop();
    expect(await whereIs(first)).toBe(`book:${counter('bookings.push')}`);
    await first.resume();
    await until(async () => (await tab.evaluate('document.readyState')) === 'complete');
    const answered = tab.evaluate(
      "new Promise((done) => { const worker = new Worker('/worker.js'); worker.onmessage = ({ data }) => done(data); worker.postMessage(3); })",
    );
    const inWorker = await attached.stop();
    expect((await inWorker.frames())[0]?.line).toBe(lineOf(WORKER, 'const sum'));
    await inWorker.resume();
    expect(await answered).toBe(4);
    const framed = tab.evaluate(
      "new Promise((done) => { const frame = document.createElement('iframe'); frame.src = '/frame.html'; addEventListener('message', ({ data }) => done(data)); frame.onload = () => frame.contentWindow.postMessage('go', '*'); document.body.append(frame); })",
    );
    const inFrame = await attached.stop();
    expect(await whereIs(inFrame)).toBe(`inFrame:${lineOf(FRAME, 'return n + 7')}`);
    await inFrame.resume();
    expect(await framed).toBe(8);
    await attached.session.detach();
  });

  it('have a service worker that stops like any other part', async () => {
    const tab = await browser.visit('/index.html');
    await tab.evaluate(
      "navigator.serviceWorker.register('/service.js').then(() => new Promise((done) => navigator.serviceWorker.controller ? done() : navigator.serviceWorker.addEventListener('controllerchange', done)))",
    );
    const attached = await tab.attach();
    const hits = new HitCollector(attached);
    const file = join(folder, 'service.js');
    const mark = await attached.mark(file, lineOf(SERVICE, 'return new Response'), 'fare > 60');
    await hits.set('log', `service.js:${lineOf(SERVICE, 'const fare')} "{path}"`, file);
    await until(() => attached.sync.status(mark).state === 'on');
    const asked = (path: string) => tab.evaluate(`fetch('${path}').then((answer) => answer.text())`);
    expect(await asked('/fare/ab')).toBe('56');
    const answered = asked('/fare/abc');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(frame).toMatchObject({ name: 'answer', line: lineOf(SERVICE, 'return new Response') });
    expect((await stop.evaluate('fare', frame?.id ?? 0, 'repl')).text).toBe('63');
    await stop.resume();
    expect(await answered).toBe('63');
    expect((await hits.until(2)).map(({ text }) => text)).toEqual(['/fare/ab', '/fare/abc']);
    await attached.session.detach();
    expect(await asked('/fare/abcd')).toBe('70');
    await tab.evaluate(
      'navigator.serviceWorker.getRegistrations().then((all) => Promise.all(all.map((one) => one.unregister())))',
    );
  });

  it('of one address in three tabs are three targets: each stops by itself, and the others go on', async () => {
    const tabs: Tab[] = [];
    for (let number = 0; number < 3; number += 1) {
      tabs.push(await browser.visit('/index.html'));
    }
    const [first, second, third] = await Promise.all(tabs.map((tab) => tab.attach()));
    const line = counter('const before');
    await first?.mark(join(folder, 'counter.js'), line);
    await second?.mark(join(folder, 'counter.js'), line, 'bookings.length > 1');
    const click = "document.getElementById('add').click()";
    const clicked = tabs[0]?.evaluate(click);
    const stop = await first?.stop();
    // While the first stands still.
    await tabs[1]?.evaluate(click);
    await tabs[2]?.evaluate(click);
    await until(async () => (await tabs[2]?.evaluate('document.title')) === '2 bookings');
    await until(async () => (await tabs[1]?.evaluate('document.title')) === '2 bookings');
    const stood = await Promise.all(
      [second, third]
        .flatMap((attached) => attached?.stops ?? [])
        .map(async (each) => [JSON.stringify(each.event), await whereIs(each)]),
    );
    expect(stood).toEqual([]);
    const again = tabs[1]?.evaluate(click);
    await (await second?.stop())?.resume();
    await again;
    await stop?.resume();
    await clicked;
    await until(async () => (await tabs[0]?.evaluate('document.title')) === '2 bookings');
    await Promise.all([first, second, third].map((attached) => attached?.session.detach()));
  });

  it('are shown as they were written where a bundler has made them', async () => {
    const tab = await browser.visit('/bundled.html');
    const attached = await tab.attach();
    const path = join(folder, 'total.ts');
    const line = lineOf(TYPED, 'sum += booking.seats');
    const mark = await attached.mark(path, line, 'booking.seats > 2');
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', file: path, line });
    const total = tab.evaluate("total([{ name: 'Aino', seats: 2 }, { name: 'Holm', seats: 3 }])");
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(frame).toMatchObject({ line, source: { path } });
    expect((await stop.evaluate('booking.name', frame?.id ?? 0, 'repl')).text).toBe("'Holm'");
    await stop.resume();
    expect(await total).toBe(5);
    await attached.session.detach();
  });

  it('are not held up by marks that are passed too often: these wait, and nothing of them is left in the page', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const mark = await attached.mark(
      join(folder, 'counter.js'),
      counter('bookings.push'),
      "name == 'nobody'",
    );
    await tab.evaluate('for (let i = 0; i < 1000; i += 1) book(String(i), i)');
    await until(() => attached.sync.status(mark).state === 'waiting');
    expect(attached.sync.status(mark).note).toContain('passed so often');
    // What the engine's condition calls first.
    await tab.evaluate(
      "const helper = globalThis['$amberLantern']; const { tick } = helper; window.ticks = 0; helper.tick = (number) => { window.ticks += 1; tick(number); }",
    );
    await tab.evaluate('for (let i = 0; i < 100; i += 1) book(String(i), i)');
    expect(await tab.evaluate('window.ticks')).toBe(0);
    await attached.session.detach();
  });

  it('stop where a listener begins: of an event, at the elements that a selector fits, while a condition is true', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    await tab.evaluate(
      "document.body.insertAdjacentHTML('beforeend', '<p id=quay><b>quay</b></p>'); document.addEventListener('click', function seen(event) { window.seen = event.target.tagName; })",
    );
    const mark = await atEvent(attached, 'event click on p when event.isTrusted === false hits from 2');
    await tab.evaluate("document.getElementById('add').click()");
    await tab.evaluate("document.querySelector('b').click()");
    const clicked = tab.evaluate("document.querySelector('b').click()");
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(frame?.name).toBe('seen');
    expect((await stop.evaluate('event.target', frame?.id ?? 0, 'repl')).text).toBe('b');
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', hits: 1 });
    await stop.resume();
    await clicked;
    expect(await tab.evaluate('window.seen')).toBe('B');
    attached.store.drop(mark.number);
    await attached.sync.send(mark);
    await tab.evaluate("document.querySelector('b').click()");
    expect(await tab.evaluate('window.seen')).toBe('B');
    await attached.session.detach();
  });

  it('stop where an element that a selector fits is changed: what is in it, its attributes, its removal', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    const mark = await atEvent(attached, "change #list when what !== 'nothing'");
    expect(attached.sync.status(mark)).toMatchObject({ state: 'waiting' });
    await tab.evaluate(`document.body.insertAdjacentHTML('beforeend', '<ul id=list><li>Aino</li></ul><p>quay</p>');
      window.list = document.getElementById('list');
      window.changes = {
        child(what) { list.append(document.createElement('li')); },
        text(what) { list.firstChild.firstChild.data = what; },
        attribute(what) { list.className = what; },
        removal(what) { list.remove(); },
        other(what) { document.querySelector('p').className = what; },
      };`);
    await until(() => attached.sync.status(mark).state === 'on');
    const places: string[] = [];
    for (const change of ['child', 'text', 'attribute', 'removal']) {
      const changed = tab.evaluate(`changes.${change}('it')`);
      const stop = await attached.stop();
      places.push((await stop.frames())[0]?.name ?? '');
      await stop.resume();
      await changed;
      await until(() => change !== 'removal' || attached.sync.status(mark).state === 'waiting');
    }
    expect(places).toEqual(['child', 'text', 'attribute', 'removal']);
    await tab.evaluate("document.body.append(list); changes.other('it')");
    await until(() => attached.sync.status(mark).state === 'on');
    await tab.evaluate("changes.attribute('nothing')");
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', hits: 4 });
    attached.store.drop(mark.number);
    await attached.sync.send(mark);
    await tab.evaluate("changes.attribute('it')");
    expect(await tab.evaluate('list.className')).toBe('it');
    await attached.session.detach();
  });

  it('stop in what a component does for an event, pass its framework by, and fold it, in a bundle', async () => {
    const tab = await browser.visit('/component.html');
    const attached = await tab.attach();
    await atEvent(attached, 'event click');
    // Nothing of the project answers this one.
    await tab.evaluate("document.querySelector('i').click()");
    const begun = tab.evaluate("dispatchEvent(new Event('begin'))");
    let stop = await attached.stop();
    let at = await whereIs(stop);
    expect(at).toContain(`:${lineOf(COMPONENT, 'const next')}`);
    const frames = await stop.frames();
    const foreign = frames.filter(({ presentationHint }) => presentationHint === 'subtle');
    expect(foreign.map(({ source }) => source?.path)).toContainEqual(
      expect.stringContaining('/node_modules/preact/'),
    );
    expect(frames[0]?.presentationHint).toBeUndefined();
    ({ stop } = await attached.step(stop, 'over'));
    ({ stop, at } = await attached.step(stop, 'into'));
    expect(at).toContain(`:${lineOf(COMPONENT, 'document.title')}`);
    ({ stop, at } = await attached.step(stop, 'over'));
    if (at.endsWith(`:${lineOf(COMPONENT, 'document.title') + 1}`)) {
      ({ stop, at } = await attached.step(stop, 'over'));
    }
    expect(at).toContain(`:${lineOf(COMPONENT, '.click();') + 1}`);
    await stop.resume();
    await begun;
    await until(
      async () => (await tab.evaluate("document.getElementById('book').textContent")) === '1 seats',
    );
    expect(await tab.evaluate('document.title')).toBe('1 seats');
    await attached.session.detach();
  });

  it('show of an element what people look for, without running code of the page, and hide what is secret', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    await tab.evaluate(`document.body.insertAdjacentHTML('beforeend',
      '<form id=booking data-deck=2><input name=seats value=3><input type=password name=word value=pearl><input name=token value=pearl> two berths</form>');
      Object.defineProperty(document.getElementById('booking'), 'textContent', { get() { window.ran = true; } });`);
    await atEvent(attached, 'event submit');
    void tab.evaluate(`const form = document.getElementById('booking');
      form.addEventListener('submit', function sent(event) { event.preventDefault(); });
      form.elements[0].value = '4';
      form.requestSubmit();`);
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    const childrenOfValue = async (expression: string) => {
      const { reference } = await stop.evaluate(expression, frame?.id ?? 0, 'repl');
      return (await stop.variables(reference ?? 0)).map(({ name, value: text }) => ({ name, text }));
    };
    const form = await childrenOfValue('event.target');
    const told = Object.fromEntries(form.map(({ name, text }) => [name, text]));
    expect(told).toMatchObject({
      attributes: "{id: 'booking', data-deck: '2'}",
      text: "' two berths'",
      children: '[input, input, input, seats: input, word: input, token: •••]',
      parent: 'body',
    });
    const inputs = await childrenOfValue('event.target.children');
    expect(inputs.map(({ text }) => text)).toEqual(['input', 'input', 'input']);
    const seats = await childrenOfValue('event.target.children[0]');
    expect(seats).toContainEqual(expect.objectContaining({ name: 'value', text: "'4'" }));
    for (const index of [1, 2]) {
      const secret = JSON.stringify(await childrenOfValue(`event.target.children[${index}]`));
      expect(secret).toContain('attributes');
      expect(secret).not.toContain('pearl');
    }
    await stop.resume();
    expect(await tab.evaluate('window.ran')).toBeUndefined();
    await attached.session.detach();
  });

  it.each(['setTimeout', 'setInterval', 'requestAnimationFrame'])(
    'stop in a function that was given to %s',
    async (name) => {
      const tab = await browser.visit('/index.html');
      const attached = await tab.attach();
      const mark = await atEvent(attached, `event ${name}`);
      await tab.evaluate(`window.given = ${name}(function later() { window.ran = true; }, 1)`);
      const stop = await attached.stop();
      expect((await stop.frames())[0]?.name).toBe('later');
      attached.store.drop(mark.number);
      await attached.sync.send(mark);
      await stop.resume();
      await until(async () => (await tab.evaluate('window.ran')) === true);
      await attached.session.detach();
    },
  );

  it('are not held up by events that nobody stops at', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    await tab.evaluate("addEventListener('fare', (event) => { window.fares = (window.fares ?? 0) + 1; })");
    const mark = await atEvent(attached, 'event fare when event.detail === 7');
    await tab.evaluate("for (let i = 0; i < 300; i += 1) dispatchEvent(new CustomEvent('fare'))");
    expect(await tab.evaluate('window.fares')).toBe(300);
    await until(() => attached.sync.status(mark).state === 'waiting');
    expect(attached.sync.status(mark).note).toContain('so many of these events');
    await attached.session.detach();
  });

  it('go on, with nothing of ours in the way, when the client is gone in a stop', async () => {
    const tab = await browser.visit('/index.html');
    const attached = await tab.attach();
    await attached.mark(join(folder, 'counter.js'), counter('bookings.push'));
    const count = tab.evaluate("book('Holm', 2)");
    await attached.stop();
    attached.session.client.close();
    expect(await count).toBe(2);
    expect(await tab.evaluate("book('Holm', 3)")).toBe(3);
  });

  it('are listed, chosen by their address, and attached to by the built program', async () => {
    await browser.visit('/index.html');
    const { stdout } = await runAmber(['targets', '--json'], { cwd: folder });
    const { targets } = JSON.parse(stdout.trim().split('\n')[0] ?? '') as {
      targets: { runtime: string; command: string; pid: number }[];
    };
    expect(targets).toContainEqual(
      expect.objectContaining({ runtime: 'page', command: `${browser.site}/index.html`, pid: browser.pid }),
    );
    const { stdout: prompt } = await runAmber(['attach', `page:${browser.site}/index*`], {
      cwd: folder,
      input:
        'log counter.js:4 "{name} {seats}"\nbreak counter.js:5\nreload\nwait 20\nresume\nwait 1\noutput\n',
    });
    expect(prompt).toMatch(/first 1/);
    expect(prompt).toContain('counter is there 1');
    const none = await runAmber(['attach', 'page:nowhere*'], { cwd: folder });
    expect(none.stderr).toContain('no page is like nowhere*');
  });

  it('of a browser that does not answer are not passed over in silence', async () => {
    await browser.visit('/index.html');
    process.kill(browser.pid, 'SIGSTOP');
    try {
      const env = { AMBER_PATIENCE: '1' };
      const { stdout } = await runAmber(['targets'], { cwd: folder, env });
      expect(stdout).toContain('has not listed its pages within 3 s: it is stopped, or very busy');
      const { stderr, code } = await runAmber(['attach', 'page'], { cwd: folder, env });
      expect(stderr).toContain('has not listed its pages within 3 s');
      expect(code).not.toBe(0);
    } finally {
      process.kill(browser.pid, 'SIGCONT');
    }
  });

  it('are launched in a browser of their own, which ends with amber, also by kill -9', async () => {
    writeFileSync(join(folder, 'commands'), 'stack\nbreak counter.js:4\nresume\nwait 20\nvars\nresume\n');
    const url = `${browser.site}/index.html`;
    const { stdout, code, stderr } = await runAmber(['launch', '--page', url, '--commands', 'commands'], {
      cwd: folder,
    });
    expect(stderr).toBe('');
    expect(stdout).toMatch(/before the first line · index\.html:8/);
    expect(stdout).toMatch(/mark 1 · counter\.js:4 in book/);
    expect(code).toBe(0);
    writeFileSync(join(folder, 'commands'), 'wait 600\n');
    const amber = startAmber(['launch', '--page', url, '--commands', 'commands'], { cwd: folder });
    await amber.shows('amber> wait 600');
    const [launched] = childrenOf(amber.child.pid).filter((pid) =>
      /user-data-dir=\S*amber-browser-/.test(cmdlineOf(pid)),
    );
    const [profile = ''] = /[^=\0]*amber-browser-[\w-]+/.exec(cmdlineOf(launched)) ?? [];
    expect(existsSync(profile)).toBe(true);
    amber.child.kill('SIGKILL');
    await until(() => cmdlineOf(launched) === '' && !existsSync(profile));
  });
});

async function atEvent(attached: Attached, text: string): Promise<Mark> {
  const mark = attached.store.add(parseMark(text));
  await attached.sync.send(mark);
  return mark;
}

function cmdlineOf(pid: number | undefined): string {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8');
  } catch {
    return '';
  }
}
