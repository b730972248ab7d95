import { basename } from 'node:path';
import type { Mark, MarkStatus } from '../src/core/marks/store.js';
import type { Attached } from '../test/support/attached.js';
import { HitCollector } from '../test/support/hits.js';
import type { Fixture, Words } from './fixture.js';

/** What a behaviour is tried with: a session of its own on a service that all of them share. */
export interface Trial {
  fixture: Fixture;
  words: Words;
  attached: Attached;
  hits: HitCollector;
  /** Sets a mark as the prompt would: `break` at a labelled line, with what follows the place. */
  mark(kind: Mark['kind'], label: string, rest?: string): Promise<Mark>;
  /** Sets a mark at a place that is no line: a function, a request, errors. */
  place(text: string, kind?: Mark['kind']): Promise<Mark>;
  /** How a mark stands, with fresh counts. */
  status(mark: Mark): Promise<MarkStatus>;
}

/** Something that every runtime must do. */
export interface Behaviour {
  group: string;
  name: string;
  run(trial: Trial): Promise<void>;
}

export function trialOf(fixture: Fixture, words: Words, attached: Attached): Trial {
  const hits = new HitCollector(attached);
  const file = basename(fixture.file);
  return {
    fixture,
    words,
    attached,
    hits,
    mark: (kind, label, rest = '') =>
      hits.set(kind, `${file}:${fixture.lineOf(label)} ${rest}`.trim(), fixture.file),
    place: (text, kind = 'break') => hits.set(kind, text, fixture.file),
    status: (mark) => hits.status(mark),
  };
}

/** Milliseconds in which counts have to be there. */
const PATIENCE = process.env.CI ? 60_000 : 10_000;

const behaviour = (group: string, name: string, run: Behaviour['run']): Behaviour => ({ group, name, run });

/** Lets a request be answered, whatever stops it on the way. */
async function answered(trial: Trial, path: string, stops: number): Promise<string> {
  const answer = trial.fixture.get(path);
  for (let count = 0; count < stops; count += 1) {
    await (await trial.attached.stop()).resume();
  }
  return await answer;
}

/** Counts may come after the answer: some runtimes tell them when the request has ended. */
async function eventually(trial: Trial, mark: Mark, expected: Partial<MarkStatus>): Promise<void> {
  const until = Date.now() + PATIENCE;
  for (;;) {
    const status = await trial.status(mark);
    try {
      expect(status).toMatchObject(expected);
      return;
    } catch (error) {
      if (Date.now() > until) {
        throw error;
      }
      await new Promise((done) => setTimeout(done, 10));
    }
  }
}

async function computed(trial: Trial, expression: string): Promise<string> {
  const stop = await trial.attached.stop();
  const [frame] = await stop.frames();
  const { text } = await stop.evaluate(expression, frame?.id ?? 0, 'repl');
  await stop.resume();
  return text;
}

export const behaviours: readonly Behaviour[] = [
  behaviour('marks', 'a breakpoint stops before its line runs', async (trial) => {
    const { fixture, attached } = trial;
    const mark = await trial.mark('break', 'twice');
    expect(await trial.status(mark)).toMatchObject({ state: 'on', line: fixture.lineOf('twice') });
    const answer = fixture.get('/quote?n=5');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect(frame).toMatchObject({ line: fixture.lineOf('twice') });
    expect(frame?.source?.path).toBe(fixture.file);
    expect(frame?.name).toContain('fare');
    await stop.resume();
    expect(await answer).toBe('31');
  }),
  behaviour('marks', 'a mark on a line without code moves to the next with code', async (trial) => {
    const mark = await trial.mark('count', 'remark');
    expect(await trial.status(mark)).toMatchObject({ state: 'on', line: trial.fixture.lineOf('twice') });
  }),
  behaviour('marks', 'a condition stops only where it is true', async (trial) => {
    const n = trial.words.variable('n');
    await trial.mark('break', 'total', `when ${n} == 7`);
    expect(await trial.fixture.get('/quote?n=5')).toBe('31');
    expect(await answered(trial, '/quote?n=7', 1)).toBe('43');
  }),
  behaviour(
    'marks',
    'a condition that fails does not stop, is counted, and breaks nothing',
    async (trial) => {
      const mark = await trial.mark('break', 'total', `when ${trial.words.failing} > 1`);
      expect(await trial.fixture.get('/quote?n=5')).toBe('31');
      await eventually(trial, mark, { errors: 1, firstError: expect.any(String) });
    },
  ),
  behaviour('marks', 'hit rules are exact', async (trial) => {
    const mark = await trial.mark('break', 'leg', 'hits every 4');
    expect(await answered(trial, '/round?n=10', 2)).toBe('45');
    await eventually(trial, mark, { hits: 2 });
  }),
  behaviour(
    'marks',
    'a function on the line that stores it passes its marks when it is called',
    async (trial) => {
      const fee = trial.words.variable('fee');
      const counter = await trial.mark('count', 'double', `when ${fee} > 0`);
      expect(await trial.status(counter)).toMatchObject({
        state: 'on',
        line: trial.fixture.lineOf('double'),
      });
      await trial.mark('break', 'double', `when ${fee} == 8`);
      expect(await trial.fixture.get('/double?n=4')).toBe('8');
      const answer = trial.fixture.get('/double?n=8');
      expect(await computed(trial, fee)).toBe('8');
      expect(await answer).toBe('16');
      await eventually(trial, counter, { hits: 2, errors: 0 });
    },
  ),
  behaviour('marks', 'a function that is handed to a call is a part of its line', async (trial) => {
    const counter = await trial.mark('count', 'least');
    expect(await trial.fixture.get('/least?n=4')).toBe('4');
    await eventually(trial, counter, { hits: 1 });
    expect(await trial.fixture.get('/least?n=5')).toBe('5');
    await eventually(trial, counter, { hits: 2 });
  }),
  behaviour('marks', 'a counter counts every pass', async (trial) => {
    const mark = await trial.mark('count', 'leg');
    await trial.fixture.renew?.(trial.attached);
    expect(await trial.fixture.get('/round?n=2000')).toBe('1999000');
    await eventually(trial, mark, { hits: 2000 });
  }),
  behaviour('marks', 'a mark that is dropped stops nobody', async (trial) => {
    const mark = await trial.mark('break', 'total');
    trial.attached.store.drop(mark.number);
    await trial.attached.sync.send();
    expect(await trial.fixture.get('/quote?n=5')).toBe('31');
    expect(trial.attached.stops).toEqual([]);
  }),
  behaviour('logpoints', 'tell their values, every time, in order', async (trial) => {
    const [n, total] = ['n', 'total'].map(trial.words.variable);
    await trial.mark('log', 'twice', `"{${n}} makes {${total}}"`);
    for (let number = 1; number <= 20; number += 1) {
      await trial.fixture.get(`/quote?n=${number}`);
    }
    const told = (await trial.hits.until(20)).map(({ text }) => text);
    expect(told).toEqual(Array.from({ length: 20 }, (_, index) => `${index + 1} makes ${(index + 1) * 3}`));
  }),
  behaviour('logpoints', 'a value that fails is told as an error, and the line runs on', async (trial) => {
    await trial.mark('log', 'twice', `"{${trial.words.failing}}"`);
    expect(await trial.fixture.get('/quote?n=5')).toBe('31');
    const [hit] = await trial.hits.until(1);
    expect(hit?.error).toBeTruthy();
  }),
  behaviour('logpoints', 'what was told before a stop has come before it', async (trial) => {
    const n = trial.words.variable('n');
    await trial.mark('log', 'leg', `"{${n}}"`);
    await trial.mark('break', 'twice');
    await trial.fixture.renew?.(trial.attached);
    for (let round = 1; round <= 5; round += 1) {
      await trial.fixture.get('/round?n=3');
      const answer = trial.fixture.get('/quote?n=5');
      const stop = await trial.attached.stop();
      const told = trial.hits.hits.length;
      await stop.resume();
      await answer;
      expect({ round, told }).toEqual({ round, told: 3 * round });
    }
  }),
  behaviour('functions', 'a mark at a function stops at its first line', async (trial) => {
    const mark = await trial.place('fare');
    expect((await trial.status(mark)).state).toBe('on');
    const answer = trial.fixture.get('/quote?n=5');
    const stop = await trial.attached.stop();
    expect((await stop.frames())[0]?.line).toBe(trial.fixture.lineOf('total'));
    await stop.resume();
    expect(await answer).toBe('31');
  }),
  behaviour(
    'functions',
    'a mark at a function that is not loaded yet waits, and binds when it comes',
    async (trial) => {
      const mark = await trial.place('arrives');
      // Where the source is read and not the code, it is found before.
      const { state, note } = await trial.status(mark);
      expect(state === 'on' || (note ?? '') !== '').toBe(true);
      expect(await answered(trial, '/late?n=2', 1)).toBe('42');
      expect((await trial.status(mark)).state).toBe('on');
    },
  ),
  behaviour('requests', 'a mark at a request stops what serves it, and nothing else', async (trial) => {
    await trial.place('request GET /quote*');
    expect(await trial.fixture.get('/round?n=3')).toBe('3');
    expect(await answered(trial, '/quote?n=5', 1)).toBe('31');
  }),
  behaviour('requests', 'a stop knows the request that it serves', async (trial) => {
    await trial.mark('break', 'total');
    const answer = trial.fixture.get('/quote?n=5');
    const stop = await trial.attached.stop();
    expect(stop.request).toMatchObject({ method: 'GET', target: '/quote?n=5' });
    await stop.resume();
    await answer;
  }),
  behaviour('requests', 'what the request carries is there to be looked at', async (trial) => {
    await trial.mark('break', 'total');
    const answer = trial.fixture.get('/quote?n=5');
    const stop = await trial.attached.stop();
    const [frame] = await stop.frames();
    const scopes = await stop.scopes(frame?.id ?? 0);
    const request = scopes.find(({ name }) => name === 'Request');
    expect(request).toMatchObject({ expensive: true });
    expect(scopes.map(({ name }) => name)).toContain('Response');
    const page = { start: 0, count: 100 };
    const parts = await stop.variables(request?.variablesReference ?? 0, page);
    // PHP has names of its own for it.
    const query = parts.find(({ name }) => ['query', '$_GET'].includes(name));
    const [n] = await stop.variables(query?.variablesReference ?? 0, page);
    expect(`${n?.name} ${n?.value}`).toMatch(/^["']?n["']? ["']5["']$/);
    await stop.resume();
    expect(await answer).toBe('31');
  }),
  behaviour('requests', 'expressions of marks have what the request carries', async (trial) => {
    const [method, path, n] = ['method', 'path', "query['n']"].map(trial.words.request);
    await trial.mark('break', 'total', `when ${n} == '7'`);
    await trial.mark('log', 'twice', `"{${method}} {${path}} {${n}}"`);
    expect(await trial.fixture.get('/quote?n=5')).toBe('31');
    const answer = trial.fixture.get('/quote?n=7');
    expect(await computed(trial, `${n}`)).toMatch(/^["']7["']$/);
    expect(await answer).toBe('43');
    const told = (await trial.hits.until(2)).map(({ text }) => text);
    expect(told).toEqual(['GET /quote 5', 'GET /quote 7']);
  }),
  behaviour(
    'requests',
    'what a request carries under a secret name decides, and is not told',
    async (trial) => {
      const [query, cookies] = ['query', 'cookies'].map(trial.words.request);
      await trial.mark('break', 'total', `when ${query}['password'] == 'high water'`);
      await trial.mark('log', 'twice', `"{${query}} {${query}['password']} {${cookies}['desk']}"`);
      const answer = trial.fixture.get('/quote?n=5&password=high+water', { cookie: 'desk=low water' });
      expect(await computed(trial, `${query}`)).not.toContain('high water');
      expect(await answer).toBe('31');
      const [hit] = await trial.hits.until(1);
      expect(hit?.error).toBeUndefined();
      expect(hit?.text).toContain('•••');
      expect(hit?.text).not.toMatch(/high water|low water/);
    },
  ),
  behaviour(
    'requests',
    'a variable of the program by the name of the request is the program’s',
    async (trial) => {
      const own = trial.words.variable('request');
      await trial.mark('log', 'own', `"{${own}}" when ${own} > 0`);
      expect(await trial.fixture.get('/named?n=5')).toBe('6');
      const [hit] = await trial.hits.until(1);
      expect(hit?.text).toBe('6');
    },
  ),
  behaviour('requests', 'requests at the same time are told apart', async (trial) => {
    await trial.mark('log', 'twice', `"{${trial.words.variable('n')}}"`);
    const numbers = Array.from({ length: 24 }, (_, index) => index + 1);
    await Promise.all(numbers.map((number) => trial.fixture.get(`/quote?n=${number}`)));
    const told = await trial.hits.until(24);
    expect(told.map(({ text, request }) => [request?.target, text]).sort()).toEqual(
      numbers.map((number) => [`/quote?n=${number}`, `${number}`]).sort(),
    );
  }),
  behaviour('errors', 'a mark at errors stops where one is raised, though it is caught', async (trial) => {
    await trial.place(`error ${trial.words.error}`);
    const answer = trial.fixture.get('/caught?n=9');
    const stop = await trial.attached.stop();
    expect((await stop.frames())[0]?.line).toBe(trial.fixture.lineOf('raise'));
    await stop.resume();
    expect(await answer).toBe('9');
  }),
  behaviour(
    'errors',
    'a mark at errors stops where one is caught in the function that raises it',
    async (trial) => {
      await trial.place(`error ${trial.words.error}`);
      const answer = trial.fixture.get('/inside?n=9');
      const stop = await trial.attached.stop();
      expect((await stop.frames())[0]?.line).toBe(trial.fixture.lineOf('inside'));
      await stop.resume();
      expect(await answer).toBe('9');
    },
  ),
  behaviour('errors', 'a mark at uncaught errors does not stop at one that is caught', async (trial) => {
    await trial.place('error uncaught');
    expect(await trial.fixture.get('/caught?n=9')).toBe('9');
    expect(trial.attached.stops).toEqual([]);
  }),
  behaviour(
    'steps',
    'over goes to the next line, into a call to its first, out behind the call',
    async (trial) => {
      const { fixture, attached } = trial;
      await trial.mark('break', 'call');
      const answer = fixture.get('/quote?n=5');
      let stop = await attached.stop();
      const lines: number[] = [];
      for (const kind of ['into', 'over', 'out'] as const) {
        ({ stop } = await attached.step(stop, kind));
        lines.push((await stop.frames())[0]?.line ?? 0);
      }
      expect(lines.slice(0, 2)).toEqual([fixture.lineOf('total'), fixture.lineOf('twice')]);
      // Behind a call is the rest of its line, where a language stops there once more, or the next line.
      const behind = [fixture.lineOf('call'), fixture.lineOf('after')];
      expect(behind).toContain(lines[2]);
      await stop.resume();
      expect(await answer).toBe('31');
    },
  ),
  behaviour('looking', 'variables have names, values and types', async (trial) => {
    await trial.mark('break', 'twice');
    const answer = trial.fixture.get('/quote?n=5');
    const stop = await trial.attached.stop();
    const [frame] = await stop.frames();
    const [scope] = await stop.scopes(frame?.id ?? 0);
    const variables = await stop.variables(scope?.variablesReference ?? 0);
    const shown = new Map(
      variables.map(({ name, value, type }) => [name.replace(/^\$/, ''), { value, type }]),
    );
    expect(shown.get('n')).toMatchObject({ value: '5', type: expect.stringMatching(/int|number|Integer/i) });
    expect(shown.get('total')?.value).toBe('15');
    await stop.resume();
    await answer;
  }),
  behaviour('looking', 'the stack names the functions, innermost first', async (trial) => {
    await trial.mark('break', 'twice');
    const answer = trial.fixture.get('/quote?n=5');
    const stop = await trial.attached.stop();
    const [inner, outer] = await stop.frames();
    expect(inner?.name).toContain('fare');
    expect(outer?.name).toContain('quote');
    expect(outer?.line).toBe(trial.fixture.lineOf('call'));
    await stop.resume();
    await answer;
  }),
  behaviour('looking', 'expressions are computed in the frame', async (trial) => {
    const [n, total] = ['n', 'total'].map(trial.words.variable);
    await trial.mark('break', 'twice');
    const answer = trial.fixture.get('/quote?n=5');
    expect(await computed(trial, `${total} * 100 + ${n}`)).toBe('1505');
    await answer;
  }),
  behaviour('looking', 'what is assigned is what the program goes on with', async (trial) => {
    await trial.mark('break', 'total');
    const answer = trial.fixture.get('/quote?n=5');
    const stop = await trial.attached.stop();
    const [frame] = await stop.frames();
    await stop.assign(trial.words.variable('n'), '9', frame?.id ?? 0);
    await stop.resume();
    expect(await answer).toBe('55');
  }),
  behaviour('following', 'every line of a function is told with what it has changed', async (trial) => {
    const { fixture, attached } = trial;
    const lines = ['total', 'twice', 'back'].map((label) => fixture.lineOf(label));
    for (const line of lines) {
      const place = { kind: 'line' as const, file: fixture.file, line };
      const mark = attached.store.add({ place }, fixture.file, 'follow');
      mark.followed = { number: mark.number, text: 'fare' };
    }
    await attached.sync.send();
    await fixture.renew?.(attached);
    expect(await fixture.get('/quote?n=5')).toBe('31');
    const told = await trial.hits.until(3);
    const changed = told.map(({ values }) =>
      values
        .map(({ expression, value }) => `${expression.replace(/^\$/, '')}=${value}`)
        .filter((text) => /^(?:total|twice)=\d/.test(text)),
    );
    expect(changed).toEqual([[], ['total=15'], ['twice=30']]);
  }),
  behaviour('output', 'what the program prints is told with its request', async (trial) => {
    const lines: { text: string; target: string | undefined }[] = [];
    const seen = new Promise<void>((done) => {
      trial.attached.sync.on('printed', (printed) => {
        lines.push(...printed.map(({ text, request }) => ({ text, target: request?.target })));
        done();
      });
    });
    await trial.fixture.get('/printed?n=8');
    await seen;
    expect(lines).toContainEqual({ text: 'on deck 8', target: '/printed?n=8' });
  }),
  behaviour(
    'life',
    'a request that is held when the session ends is answered, and the next are not stopped',
    async (trial) => {
      await trial.mark('break', 'total');
      const answer = trial.fixture.get('/quote?n=5');
      await trial.attached.stop();
      await trial.attached.session.detach();
      expect(await answer).toBe('31');
      expect(await trial.fixture.get('/quote?n=6')).toBe('37');
    },
  ),
  behaviour('life', 'the next session finds nothing of the one before', async (trial) => {
    await trial.mark('break', 'total');
    await trial.attached.session.detach();
    const again = await trial.fixture.attach();
    expect(await trial.fixture.get('/quote?n=5')).toBe('31');
    expect(again.stops).toEqual([]);
    await again.session.detach();
  }),
];
