import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  DEMO_FOLDER,
  type DemoRequest,
  readRequests,
  type Service,
  sendRequest,
  startOffice,
} from '../../src/cli/demo/office.js';
import { type Amber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';

/** The prompt's commands on the demo's fares service, typed one after the other as a person would. */
useRunFolder();

const folder = join(DEMO_FOLDER, 'fares');
const lineWith = (text: string) => {
  const lines = readFileSync(join(folder, 'quotes.py'), 'utf8').split('\n');
  return lines.findIndex((line) => line.includes(text)) + 1;
};
let fares: Service;
let amber: Amber;
let requests: Record<string, DemoRequest>;

/** Types a command and gives what it answers. */
async function say(command: string, shows: string | RegExp): Promise<string> {
  const from = amber.stdout.length;
  amber.type(`${command}\n`);
  return await amber.shows(shows, from);
}

const send = async (name: string) => {
  const request = requests[name];
  if (request === undefined) {
    throw new Error(`there is no request ${name}`);
  }
  return (await sendRequest(fares, request)).body.total;
};

beforeEach(async () => {
  requests = readRequests('fares');
  [fares] = (await startOffice(['fares'], () => undefined)) as [Service];
  amber = startAmber(['attach', `${fares.pid}`], { cwd: folder });
  await amber.shows('attached to');
});
afterEach(async () => {
  amber.child.kill();
  await amber.ended;
  await fares.stop();
});

it('finds the price that creeps up, as the documented walk does', async () => {
  const before = Number(await send('good-single'));
  await send('with-car');
  await send('with-car');
  expect(Number(await send('good-single'))).toBeGreaterThan(before);
  await say('break extra_lines when not trip.vehicle', /mark 1 at extra_lines \(quotes.py:\d+\) is on/);
  const late = send('good-single');
  await say('wait 60', 'next ▸');
  await say('over', '● step');
  await say('= extras', "('ramp', Decimal('0.60')), ('ramp', Decimal('0.60'))");
  await say('= extras is EXTRAS[trip.season]', 'True  bool');
  await say('assign extras[:] = extras[:1]', "[('harbour', Decimal('0.40'))]");
  await say('resume', 'running');
  expect(Number(await late)).toBe(before);
});

it('moves through frames, scopes, pages and lines', async () => {
  const line = lineWith('lines = [Line("%s, out" % kind, single)]');
  await say(`break quotes.py:${line} when kind == "child"`, 'is on');
  const late = send('return-with-child');
  await say('wait 60', 'next ▸');
  await say('stack all', /serve_forever|process_request_thread/);
  await say('callers', /quotes.py:\d+ in quote\n[\s\S]* {2}in ▸ \d+/);
  await say('= len(lines)', '4  int');
  await say('vars', /Locals\n {2}trip +Trip\(/);
  await say('callee', 'in passenger_lines');
  await say('frame 1', 'in quote');
  await say('frame 99', 'there is no frame 99');
  await say('frame 0', 'in passenger_lines');
  await say('callee', 'this is the innermost frame');
  await say('vars globals', /Globals\n[\s\S]*FARES[\s\S]*definitions +\d+ names/);
  await say('vars nowhere', 'there are locals, globals');
  await say('open FARES', /FARES = dict\n {2}\('Skerrow', 'Innish', 'low', 'adult'\)[\s\S]*202 more: more/);
  await say('more', '152 more: more');
  await say('open trip', /start +'Skerrow' +str/);
  await say('more', 'there is no more to show');
  await say('open trip.back', 'True  bool');
  await say('open nothing', "NameError: name 'nothing' is not defined");
  await say(`until ${lineWith('if trip.back:')}`, /step|breakpoint/);
  await say('source tables.py:3', 'import csv');
  await say('source', 'in passenger_lines');
  await say('threads', /MainThread +running[\s\S]*▸ +\d+ +Thread-\d+[^\n]*paused/);
  await say('thread 1', 'thread 1 is running');
  await say('thread 77', 'there is no thread 77');
  await say('into', '● step');
  await say('out', /● step|running/);
  await say('change 1 hits from 5', /mark 1 at quotes.py:\d+ is on/);
  await say('marks', 'hits from 5');
  await say('resume', 'running');
  expect(await late).toBe('57.26');
});

it('announces a second stop without taking over, and resumes one after the other', async () => {
  await say('break post_quote', 'is on');
  const first = send('good-single');
  await say('wait 60', 'next ▸');
  const from = amber.stdout.length;
  const second = send('good-return');
  await amber.shows(/● also stopped: mark 1 · handlers.py:\d+ in post_quote · Thread-\d+/, from);
  await say('resume', /running; thread \d+ is paused still/);
  expect(await first).toBe('63.20');
  await say('stack', 'post_quote');
  await say('off', 'mark 1 at');
  await say('resume', 'running');
  expect(await second).toBe('94.66');
  expect(await send('good-single')).toBe('63.20');
});

it('computes watches at every stop and in every frame, and shows what has changed', async () => {
  await say('watch amount', 'nothing is paused');
  await say('watch len(lines) > 1', 'watch 2  len(lines) > 1  nothing is paused');
  await say('watch', 'say what to watch');
  const line = lineWith('lines = [Line("%s, out" % kind, single)]');
  await say(`break quotes.py:${line}`, 'is on');
  await say('watch kind', 'watch 3');
  const late = send('return-with-child');
  await say('wait 60', /watch 1 +amount +NameError: name 'amount'[\s\S]*watch 3 +kind +'adult'/);
  await say('off', 'is off');
  await say('over', /lines = \[Line[\s\S]*watch 2 +len\(lines\) > 1 +False/);
  await say('callers', /in ▸[\s\S]*watch 3 +kind +'adult'/);
  await say('unwatch 1 9', 'there is no watch 9');
  await say('watches', /^(?![\s\S]*watch 1)[\s\S]*watch 2/);
  await say('frame 0', 'in passenger_lines');
  await say('on', 'is on');
  await say('resume', 'running');
  await say('wait 60', '● mark 1');
  await say('resume', 'running');
  await say('wait 60', /single = Decimal\('12.60'\) \(was [\s\S]*watch 3 +kind +'child' +was 'adult'/);
  await say('path trip', /\ntrip\n/);
  await say('path nowhere', 'there is no variable nowhere');
  await say('copy kind', 'copied 7 characters');
  await say('resume', 'running');
  expect(await late).toBe('57.26');
});

it('pauses, and tells that a thread waits outside its code', async () => {
  await say('pause', /● paused · .*|waits for something outside its code/);
  await say('pause 99', 'there is no thread 99');
  await say('help', /command\n[\s\S]*break PLACE[\s\S]*Ctrl-D detaches/);
  await say('help until', 'run to a line of this file');
});
