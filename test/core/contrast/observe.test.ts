import { Flow } from '../../../src/core/contrast/flow.js';
import { Observer } from '../../../src/core/contrast/observe.js';
import type { TrailRecord } from '../../../src/core/trail/records.js';

const TRACE = '0af7651916cd43dd8448eb211c80319c';
const parent = (span: string) => `00-${TRACE}-${span.padStart(16, '0')}-01`;

const request = (target: string, number: number, at: number, traceparent: string | null): TrailRecord => ({
  kind: 'request',
  target,
  id: number,
  method: 'POST',
  path: '/quotes',
  traceparent,
  at,
});
let seq = 0;
const line = (
  target: string,
  owner: number,
  at: number,
  number: number,
  call: number,
  values: Record<string, string> = {},
): TrailRecord => {
  seq += 1;
  return {
    kind: 'hit',
    target,
    mark: 1,
    seq,
    at,
    time: at * 1000,
    thread: 1,
    request: owner,
    text: '',
    values: Object.entries(values).map(([expression, value]) => ({ expression, value, type: 'int' })),
    error: null,
    follow: { path: `/${target}.py`, line: number, call, function: 'f' },
  };
};

function observe(records: TrailRecord[]): Observer {
  const observer = new Observer();
  for (const record of records) {
    observer.add(record);
  }
  return observer;
}

it('a line has set what the next line of the same call tells, and sees what was set before', () => {
  const observer = observe([
    request('fares', 1, 0, parent('1')),
    line('fares', 1, 1, 10, 1, { kind: '1' }),
    line('fares', 1, 2, 20, 2, { n: '5' }),
    line('fares', 1, 3, 21, 2, { n: '6' }),
    line('fares', 1, 4, 11, 1, { leg: '7' }),
  ]);
  const [observation] = observer.observations(() => 'good');
  const shown = observation?.steps.map((step) => ({
    line: step.line,
    before: Object.fromEntries([...step.before].map(([name, { text }]) => [name, text])),
    set: Object.fromEntries([...step.set].map(([name, { text }]) => [name, text])),
  }));
  expect(shown).toEqual([
    { line: 10, before: { kind: '1' }, set: { leg: '7' } },
    { line: 20, before: { n: '5' }, set: { n: '6' } },
    { line: 21, before: { n: '6' }, set: {} },
    { line: 11, before: { kind: '1', leg: '7' }, set: {} },
  ]);
});

it('the requests of one trace are one, in the order of time between services and of their own count within one', () => {
  const observer = observe([
    request('desk', 1, 0, parent('1')),
    request('fares', 2, 5, parent('2')),
    line('fares', 2, 6, 61, 1),
    line('desk', 1, 1, 1, 1),
    line('desk', 1, 9, 2, 1),
    { kind: 'ended', target: 'desk', id: 1, at: 10, status: 200, ms: 10 },
    {
      kind: 'sent',
      number: 1,
      name: 'booking',
      method: 'POST',
      url: 'http://localhost/',
      traceparent: parent('0'),
      at: 0,
      ms: 11,
      status: 200,
      verdict: 'faulty',
      faults: [],
      error: null,
    },
  ]);
  const observations = observer.observations(({ verdict }) => verdict);
  expect(observations).toMatchObject([{ id: 1, name: 'booking', kind: 'faulty', status: 200 }]);
  expect(observations[0]?.steps.map(({ target, line: number }) => `${target} ${number}`)).toEqual([
    'desk 1',
    'fares 61',
    'desk 2',
  ]);
  expect(observer.observations(() => null)).toEqual([]);
});

it('values are followed back: to the line that set a name, to the caller, and to what a call has returned', () => {
  const observer = observe([
    request('fares', 1, 0, null),
    line('fares', 1, 1, 10, 1, { body: '1' }),
    line('fares', 1, 2, 11, 1, { kind: '2' }),
    line('fares', 1, 3, 20, 2, { n: '2' }),
    line('fares', 1, 4, 21, 2, { m: '3' }),
    line('fares', 1, 5, 12, 1, { leg: '3' }),
  ]);
  const texts: Record<number, string> = {
    10: 'kind = body',
    11: 'leg = rate(kind)',
    20: 'm = n + 1',
    21: 'return m',
    12: 'return leg',
  };
  const steps = observer.observations(() => 'good')[0]?.steps ?? [];
  const flow = new Flow(steps, (_file, number) => texts[number]);
  const lines = (index: number) => flow.sources(index).map((at) => steps[at]?.line);
  expect(lines(1)).toEqual([10, 21]);
  expect(lines(2)).toEqual([11]);
  expect(lines(3)).toEqual([20]);
  expect(lines(4)).toEqual([11]);
  expect(flow.returnedTo(1)).toBe(3);
  expect(flow.returnedTo(3)).toBeUndefined();
});

it('each target’s lines stay in its own order, whatever its clock says of when they were told', () => {
  const observer = observe([
    request('desk', 1, 0, parent('1')),
    request('fares', 2, 2, parent('2')),
    // Both lines of the desk were told together, after the first of fares.
    { ...line('desk', 1, 3, 1, 1), time: 1 } as TrailRecord,
    { ...line('desk', 1, 3, 2, 1), time: 9 } as TrailRecord,
    { ...line('fares', 2, 2, 10, 1), time: 500 } as TrailRecord,
    { ...line('fares', 2, 4, 11, 1), time: 400 } as TrailRecord,
  ]);
  const [observation] = observer.observations(() => 'good');
  expect(observation?.steps.map((step) => `${step.target} ${step.line}`)).toEqual([
    'desk 1',
    'desk 2',
    'fares 11',
    'fares 10',
  ]);
});
