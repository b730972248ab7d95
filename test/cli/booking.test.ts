import { cpSync } from 'node:fs';
import { join, resolve } from 'node:path';
import type { TrailRecord } from '../../src/core/trail/records.js';
import { TrailStory } from '../../src/core/trail/story.js';
import { type Amber, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { Browser, hasBrowser } from '../support/browser.js';
import { phpHas } from '../support/php.js';
import { makeFolder } from '../support/program.js';
import { rubyHas } from '../support/ruby.js';
import { trailOf } from '../support/trail.js';
import { until } from '../support/until.js';

const DEMO = resolve(__dirname, '..', '..', 'demo');
const hasAll = rubyHas() && phpHas('cli');

function storyOf(records: readonly TrailRecord[], id: number): TrailStory {
  const story = new TrailStory(id);
  for (const record of records) {
    story.find(record);
  }
  for (const record of records) {
    story.add(record);
  }
  story.finish();
  return story;
}

(hasAll ? describe : describe.skip)('one booking through the four services of the ferry office', () => {
  useRunFolder();
  let office: Amber;
  beforeAll(async () => {
    office = startAmber(['demo', '--office']);
    await office.shows('Ctrl-C ends the office');
  });
  afterAll(async () => {
    office.child.kill('SIGINT');
    await office.ended;
  });

  it('is one story, in order, each request below the one that made it', async () => {
    const url = /desk .* listens on (http:\S+)/.exec(office.stdout)?.[1] ?? '';
    const pids = /amber attach ([\d ]+)/.exec(office.stdout)?.[1]?.trim().split(' ') ?? [];
    expect(pids).toHaveLength(4);
    const passengers = { adult: 2, child: 1 };
    const body = { name: 'Ines Marlow', from: 'Skerrow', to: 'Holm', passengers, return: true };
    const booking = { url: `${url}/bookings`, body, expect: { status: 201, body: ['/total > 63.20'] } };
    const folder = makeFolder({ 'amber.yaml': JSON.stringify({ requests: { booking } }) });
    const trail = join(folder, 'trail.ndjson');
    const marks = [
      ['--log', `${DEMO}/desk/bookings.js:21 "{trip.name}"`],
      ['--follow', 'return_discount'],
      ['--log', `${DEMO}/tides/sailings.rb:53 "{from} {to}"`],
      ['--log', `${DEMO}/slips/handlers.php:36 "{$travellers}"`],
    ].flat();
    const send = ['--send', 'booking', '--times', '6', '--concurrency', '2', '--trail', trail];
    const traced = await runAmber(['trace', ...pids, ...marks, ...send], { cwd: folder });
    expect(traced.stdout).toContain('6 of 6 sent (0 good, 6 faulty)');
    const records = trailOf(trail);
    const desks = records.flatMap((record) =>
      record.kind === 'request' && record.path === '/bookings' ? [record.id] : [],
    );
    expect(desks).toHaveLength(6);
    for (const desk of desks) {
      const story = storyOf(records, desk);
      const told = story.inOrder.map((request) => {
        const below = request.parent ? ` below ${story.requests.get(request.parent.id)?.path}, ` : '';
        const known = request.parent ? (request.parent.isKnown ? 'known' : 'by its times') : '';
        return `${request.target.split(':')[0]} ${request.path.split('?')[0]} ${request.status}${below}${known}`;
      });
      expect(told).toEqual([
        'javascript /bookings 201',
        'ruby /sailings 200 below /bookings, known',
        'python /quotes 200 below /bookings, known',
        'php /slips 201 below /bookings, known',
      ]);
      const [first, last] = [story.events[0], story.events.at(-1)];
      expect([first?.text, last?.text]).toEqual(['Skerrow Holm', '3']);
      const discounts = story.events.flatMap(({ kind, values }) => (kind === 'line' ? values : []));
      expect(discounts.map(({ value }) => value)).toContain('return-child');
      expect(story.events.map(({ at }) => at)).toEqual(
        story.events.map(({ at }) => at).sort((a, b) => a - b),
      );
    }
    const story = await runAmber(['report', trail, '--request', `${desks[0]}`]);
    expect(story.stdout).toMatch(
      /^POST \/bookings {2}201 .*\n└ GET \/sailings.*\n└ POST \/quotes.*\n└ POST \/slips/,
    );
  });

  (hasBrowser || process.env.CI ? it : it.skip)('is one story from the click at the counter on', async () => {
    const url = /desk .* listens on (http:\S+)/.exec(office.stdout)?.[1] ?? '';
    const pids = /amber attach ([\d ]+)/.exec(office.stdout)?.[1]?.trim().split(' ') ?? [];
    const folder = makeFolder({ 'amber.yaml': JSON.stringify({ traceTo: [url] }) });
    cpSync(join(DEMO, 'desk', 'counter'), join(folder, 'desk', 'counter'), { recursive: true });
    const trail = join(folder, 'trail.ndjson');
    const browser = new Browser(folder);
    try {
      const tab = await browser.visit(`${url}/counter`);
      const page = `page:${new URL(url).host}/*`;
      const marks = ['--log', 'counter.js:26 "{wanted.from}"'];
      const amber = startAmber(['trace', page, ...pids, ...marks, '--trail', trail], { cwd: folder });
      await amber.shows('mark 1 ');
      await tab.evaluate("document.getElementById('book').click()");
      await amber.shows('EVENT click on button#book');
      const isThere = () => trailOf(trail).some(({ kind }) => kind === 'ended');
      await until(isThere);
      await until(() => trailOf(trail).filter(({ kind }) => kind === 'request').length >= 5);
      amber.child.kill('SIGINT');
      await amber.ended;
    } finally {
      await browser.end();
    }
    const records = trailOf(trail);
    const click = records.find((record) => record.kind === 'request' && record.method === 'EVENT');
    const story = storyOf(records, click?.kind === 'request' ? click.id : 0);
    const told = story.inOrder.map(({ name, method, path, depth, parent }) => [
      depth,
      name.replace(/ \d+$/, ''),
      `${method} ${path.replace(/\?.*/, '')}`,
      parent?.isKnown ?? true,
    ]);
    expect(told.slice(0, 2)).toEqual([
      [0, 'counter', 'EVENT click on button#book', true],
      [1, 'desk', 'POST /bookings', true],
    ]);
    expect(told.slice(2).sort()).toEqual([
      [2, 'fares', 'POST /quotes', true],
      [2, 'slips', 'POST /slips', true],
      [2, 'tides', 'GET /sailings', true],
    ]);
    expect(story.events.map(({ text }) => text)).toContain('Skerrow');
  });
});
