import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Browser, chromium, type Page } from 'playwright-core';
import type { TrailRecord } from '../../src/core/trail/records.js';
import { runAmber } from '../support/amber.js';
import { makeFolder } from '../support/program.js';
import { booking, ended, head, hit, request } from '../support/trail.js';

const CHROMIUM = ['chromium', 'chromium-browser', 'google-chrome'].flatMap((name) => {
  try {
    return [execFileSync('which', [name], { encoding: 'utf8' }).trim()];
  } catch {
    return [];
  }
})[0];
const ARGS = ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run'];
const QUIET = ['--disable-background-networking', '--disable-component-update', '--disable-sync'];

const describeBrowser = CHROMIUM === undefined && !process.env.CI ? describe.skip : describe;

/** A hundred thousand hits in two thousand requests. */
function many(): TrailRecord[] {
  const records = [head()];
  for (let id = 1; id <= 2_000; id += 1) {
    records.push(request(id, 'python:2', `/quotes/${id}`, id, id * 10));
    for (let index = 0; index < 50; index += 1) {
      records.push(
        hit(id, id * 10 + index / 10, { values: [{ expression: 'n', value: `${index}`, type: 'int' }] }),
      );
    }
    records.push(ended(id, 'python:2', id * 10 + 6, 6));
  }
  return records;
}

describeBrowser('the page of a trail', () => {
  const folder = makeFolder({});
  let browser: Browser;
  let page: Page;
  const errors: string[] = [];
  beforeAll(async () => {
    browser = await chromium.launch({ executablePath: CHROMIUM ?? '', args: [...ARGS, ...QUIET] });
  });
  afterAll(() => browser?.close());
  afterEach(async () => {
    await page.close();
    expect(errors).toEqual([]);
  });

  const open = async (name: string, records: TrailRecord[], colorScheme: 'light' | 'dark' = 'light') => {
    const trail = join(folder, `${name}.ndjson`);
    writeFileSync(trail, records.map((record) => `${JSON.stringify(record)}\n`).join(''));
    const made = await runAmber(['report', trail, '--html']);
    expect(made).toMatchObject({ code: 0 });
    page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme });
    page.on('pageerror', ({ message }) => errors.push(message));
    // Whatever it asks the network for is an error.
    page.on('request', (asked) => !asked.url().startsWith('file:') && errors.push(asked.url()));
    await page.goto(`file://${join(folder, `${name}.html`)}`);
    await page.waitForSelector('main');
  };
  const rows = () => page.locator('[aria-label="all requests"] .inner .row').allInnerTexts();

  it('lists requests with their answers, and filters them', async () => {
    await open('booking', booking);
    expect(await page.locator('header.page').innerText()).toContain(
      '3 requests · 4 hits · 0 good, 1 faulty answers',
    );
    const all = await rows();
    expect(all).toHaveLength(3);
    expect(all[0]).toMatch(/1\s+0\.00 s\s+201\s+30\.0 ms\s+2\s+POST \/bookings\s+javascript:1\s+◆ faulty/);
    await page.fill('#search', 'leg=-50.40');
    await expectRows(1);
    await page.fill('#search', '');
    await page.selectOption('select >> nth=0', 'javascript:1');
    await expectRows(1);
    await page.selectOption('select >> nth=0', '');
    await page.selectOption('select >> nth=1', 'open');
    await expectRows(1);
    await page.getByRole('button', { name: 'show all' }).click();
    await page.getByLabel('outermost only').check();
    await expectRows(2);
    await page.getByRole('button', { name: 'time' }).click();
    expect(await page.locator('[role=columnheader][aria-sort=ascending]').innerText()).toContain('time');
  });

  async function expectRows(count: number): Promise<void> {
    await page.waitForFunction(
      `document.querySelectorAll('[aria-label="all requests"] .inner .row').length === ${count}`,
    );
  }

  it('is used by keyboard alone: to a request, through what happened in it, and back', async () => {
    await open('keyboard', booking);
    await page.keyboard.press('/');
    expect(await page.evaluate('document.activeElement.id')).toBe('search');
    await page.keyboard.type('quotes');
    await expectRows(1);
    await page.locator('[aria-label="all requests"]').focus();
    await page.keyboard.press('Enter');
    await page.waitForSelector('.waterfall');
    expect(await page.locator('.title h2').innerText()).toContain('POST /quotes?when=now 200');
    expect(await page.locator('.waterfall li').allInnerTexts()).toEqual([
      expect.stringContaining('POST /bookings'),
      expect.stringContaining('└ POST /quotes'),
      expect.stringContaining('POST /other'),
    ]);
    await page.locator('[aria-label="events"]').focus();
    await page.keyboard.press('Home');
    await page.keyboard.press('ArrowDown');
    const selected = page.locator('[aria-label="events"] [aria-selected=true]');
    expect(await selected.innerText()).toContain('child -50.40');
    await page.keyboard.press('Home');
    expect(await selected.innerText()).toContain('book(trip = Holm)');
    const line = page.locator('.source.at');
    expect(await line.innerText()).toMatch(/1×\s*16\s*price = ask\(\);\s*price = 57\.26/);
    await page.keyboard.press('Escape');
    await page.waitForSelector('[aria-label="all requests"]');
  });

  it('shows what a value came to, and which request it was in', async () => {
    await open('values', booking, 'dark');
    expect(await page.evaluate('document.documentElement.dataset.theme')).toBe('dark');
    await page.getByRole('link', { name: 'Values' }).click();
    await page.waitForSelector('.distinct');
    expect(await page.locator('.chart').getAttribute('aria-label')).toBe(
      'leg over time: 1 number from -50.4 to -50.4',
    );
    await page.getByRole('link', { name: 'in request 2' }).click();
    await page.waitForSelector('.waterfall');
    await page.getByRole('button', { name: 'light colours' }).click();
    expect(await page.evaluate('document.documentElement.dataset.theme')).toBe('light');
  });

  it('sets faulty requests against good ones, where lines were followed', async () => {
    const path = '/office/quotes.py';
    const line = (owner: number, at: number, number: number, values: Record<string, string>) =>
      ({
        ...hit(owner, at, { target: 'python:2' }),
        values: Object.entries(values).map(([expression, value]) => ({ expression, value, type: 'int' })),
        follow: { path, line: number, call: owner, function: 'quote' },
      }) as TrailRecord;
    const lines = [
      'def quote(kind):',
      '    rate = RATES[kind]',
      '    leg = 20 * (1 - rate)',
      '    return leg',
    ];
    const sent = (number: number, name: string, span: string): TrailRecord => ({
      ...{
        kind: 'sent',
        number,
        name,
        method: 'POST',
        url: 'http://127.0.0.1/quotes',
        at: number * 10,
        ms: 5,
      },
      ...{
        traceparent: `00-${span.repeat(32)}-${span.repeat(16)}-01`,
        status: 200,
        verdict: null,
        faults: [],
        error: null,
      },
    });
    const served = (id: number, span: string) =>
      ({
        ...request(id, 'python:2', '/quotes', id, id * 10),
        traceparent: `00-${span.repeat(32)}-${span.repeat(16)}-01`,
      }) as TrailRecord;
    await open('contrast', [
      head(),
      { kind: 'contrast', good: ['adult', 'senior'], faulty: ['child'] },
      { kind: 'source', path, first: 1, lines },
      ...[
        ['adult', '1', '2'],
        ['senior', '2', '1'],
        ['child', '3', '5'],
      ].flatMap(([kind = '', span = '', rate = ''], index) => [
        sent(index + 1, kind, span),
        served(index + 1, span),
        line(index + 1, index * 10 + 11, 2, { kind }),
        line(index + 1, index * 10 + 12, 3, { rate }),
        line(index + 1, index * 10 + 13, 4, { leg: `${20 * (1 - Number(rate))}` }),
      ]),
    ]);
    await page.click('nav a[href="#/contrast"]');
    await page.waitForSelector('[aria-label="verdict"]');
    expect(await page.locator('[aria-label="verdict"]').innerText()).toContain(
      '1 faulty request against 2 good ones',
    );
    const suspects = page.locator('[aria-label="lines under suspicion"] li');
    expect(await suspects.first().innerText()).toMatch(/^0\.\d+\s+quotes\.py:\d/);
    await suspects.nth(1).locator('button').click();
    const second = /quotes\.py:(\d)/.exec(await suspects.nth(1).innerText())?.[1];
    expect(await page.locator('[aria-label="source of a suspect"] .source.at').innerText()).toMatch(
      new RegExp(`^#2\\s+${second}\\s`),
    );
    expect(await page.locator('.pathrow.differs').first().innerText()).toContain('(good: ');
    expect(await page.locator('[aria-label="two paths"] output').innerText()).toBe('they run the same lines');
  });

  it('has a hundred thousand hits and only the rows in sight', async () => {
    await open('many', many());
    expect(await page.locator('header.page').innerText()).toContain('2,000 requests · 100,000 hits');
    expect((await rows()).length).toBeLessThan(80);
    await page.locator('[aria-label="all requests"]').focus();
    await page.keyboard.press('End');
    await page.keyboard.press('Enter');
    await page.waitForSelector('.waterfall');
    expect(await page.locator('.title h2').innerText()).toContain('/quotes/2000');
    expect(await page.locator('.waterfall li').count()).toBe(2_000);
  });
});
