import { join, resolve } from 'node:path';
import type { TrailRecord } from '../../src/core/trail/records.js';
import { TrailStory } from '../../src/core/trail/story.js';
import { type Amber, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { phpHas } from '../support/php.js';
import { makeFolder } from '../support/program.js';
import { rubyHas } from '../support/ruby.js';
import { trailOf } from '../support/trail.js';

const DEMO = resolve(__dirname, '..', '..', 'demo');
const hasAll = rubyHas() && phpHas('cli');

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
    const records: TrailRecord[] = trailOf(trail);
    const desks = records.flatMap((record) =>
      record.kind === 'request' && record.path === '/bookings' ? [record.id] : [],
    );
    expect(desks).toHaveLength(6);
    for (const desk of desks) {
      const story = new TrailStory(desk);
      for (const record of records) {
        story.find(record);
      }
      for (const record of records) {
        story.add(record);
      }
      story.finish();
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
});
