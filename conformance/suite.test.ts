import { readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { useRunFolder } from '../test/support/attached.js';
import { behaviours, trialOf } from './behaviours.js';
import type { Fixture } from './fixture.js';
import { runtimes } from './runtimes.js';
import { conformanceTable, type Outcome } from './table.js';

const runFolder = useRunFolder();
const PAGE = resolve(__dirname, '..', 'docs', 'conformance.md');
const outcomes = new Map<string, Outcome>();

describe.each(runtimes.map((runtime) => [runtime.name, runtime] as const))('%s', (_name, runtime) => {
  const isHere = runtime.isHere();
  let fixture: Fixture;
  const trying = isHere ? it : it.skip;

  if (isHere) {
    beforeAll(async () => {
      fixture = await runtime.start(runFolder());
    });
    afterAll(() => fixture.end());
  }

  for (const behaviour of behaviours) {
    const key = `${runtime.name} ${behaviour.name}`;
    const reason = runtime.impossible[behaviour.name];
    if (reason !== undefined) {
      outcomes.set(key, { kind: 'impossible', reason });
      continue;
    }
    outcomes.set(key, { kind: 'open' });
    trying(`${behaviour.group}: ${behaviour.name}`, async () => {
      const attached = await fixture.attach({ requests: true, output: true });
      try {
        await behaviour.run(trialOf(fixture, runtime.words, attached));
        outcomes.set(key, { kind: 'passed' });
      } finally {
        await attached.session.detach();
      }
    });
  }

  it('says of nothing that it is impossible which the suite does not try', () => {
    const names = behaviours.map(({ name }) => name);
    expect(Object.keys(runtime.impossible).filter((name) => !names.includes(name))).toEqual([]);
  });
});

it('docs/conformance.md is what the suite has found', () => {
  const table = conformanceTable(runtimes, behaviours, (runtime, name) => outcomes.get(`${runtime} ${name}`));
  if (process.env.AMBER_WRITE_DOCS) {
    writeFileSync(PAGE, table);
  }
  if (runtimes.every((runtime) => runtime.isHere())) {
    expect(readFileSync(PAGE, 'utf8')).toBe(table);
  }
});
