import fc from 'fast-check';
import { newFollowed, texts } from './part.js';

const WIDTH = 200;
const followed = newFollowed();

class Office {
  constructor(readonly seats: unknown) {}
  get count() {
    return 1;
  }
}

const leaf = fc.oneof(
  fc.integer({ min: -2, max: 2 }),
  fc.constantFrom(undefined, null, true, Number.NaN, -0, 0.5, 3n, 'Holm', 'x'.repeat(2000), () => 1),
);
/** What most programs hold, and everything else. */
const { plain, held } = fc.letrec<{ plain: unknown; held: unknown }>((tie) => ({
  plain: fc.oneof(
    { maxDepth: 5 },
    { arbitrary: leaf, weight: 2 },
    { arbitrary: fc.array(tie('plain'), { maxLength: 4 }), weight: 2 },
    {
      arbitrary: fc.dictionary(fc.constantFrom('a', 'b', 'token'), tie('plain'), { noNullPrototype: true }),
      weight: 2,
    },
  ),
  held: fc.oneof(
    { maxDepth: 4, withCrossShrink: true },
    leaf,
    fc.array(tie('held'), { maxLength: 4 }),
    fc.dictionary(fc.constantFrom('a', 'b', 'token'), tie('held')),
    fc.array(tie('held'), { maxLength: 2 }).map((items) => new Map(items.map((item, at) => [at, item]))),
    fc.array(tie('held'), { maxLength: 2 }).map((items) => new Set(items)),
    tie('held').map((seats) => new Office(seats)),
    tie('held').map((inner) => Object.defineProperty({ b: inner }, 'a', { get: () => 1, enumerable: true })),
    tie('held').map((inner) => new Proxy({ inner }, {})),
  ),
}));

/** Every object in a value that can be written into. */
function placesIn(value: unknown, found: object[] = []): object[] {
  if (typeof value === 'object' && value !== null && !found.includes(value)) {
    found.push(value);
    for (const each of value instanceof Map || value instanceof Set ? value.values() : Object.values(value)) {
      placesIn(each, found);
    }
  }
  return found;
}

function change(value: unknown, at: number, key: number, put: unknown): void {
  const places = placesIn(value);
  const place = places[at % Math.max(1, places.length)];
  if (place instanceof Map) {
    place.set(key, put);
  } else if (place instanceof Set) {
    place.add(put);
  } else if (Array.isArray(place)) {
    place[key] = put;
  } else if (place !== undefined) {
    Reflect.set(place, ['a', 'b', 'token', 'seats', 'inner'][key] ?? 'c', put);
  }
}

it('tells a variable exactly when its text or type is another', () => {
  let told = 0;
  let quiet = 0;
  fc.assert(
    fc.property(fc.oneof(plain, held), fc.nat(20), fc.nat(3), fc.oneof(leaf, held), (value, at, key, put) => {
      const call = followed.call();
      const seen = () => [texts.textOf(value, 0, WIDTH), texts.typeOf(value)];
      const before = seen();
      expect(followed.changes(call, { value })).toEqual({ value: before });
      expect(followed.changes(call, { value })).toEqual({});
      change(value, at, key, put);
      const now = seen();
      const isSame = now[0] === before[0] && now[1] === before[1];
      told += isSame ? 0 : 1;
      quiet += isSame ? 1 : 0;
      expect(followed.changes(call, { value })).toEqual(isSame ? {} : { value: now });
    }),
    { numRuns: 2500 },
  );
  expect({ told: told > 100, quiet: quiet > 50 }).toEqual({ told: true, quiet: true });
});

it('forgets of many calls those that have waited longest', () => {
  const kept = followed.call();
  followed.changes(kept, { n: 1 });
  const left = followed.call();
  followed.changes(left, { n: 1 });
  for (let count = 0; count < 2_500; count += 1) {
    followed.changes(followed.call(), { n: 1 });
    followed.changes(kept, { n: 1 });
  }
  expect(followed.changes(kept, { n: 1 })).toEqual({});
  expect(followed.changes(left, { n: 1 })).toEqual({ n: ['1', 'number'] });
});

it('runs no getter and no trap of the program', () => {
  const ran: string[] = [];
  const note = (name: string) => () => {
    ran.push(name);
    return undefined;
  };
  const traps = {
    get: note('get'),
    ownKeys: () => [note('ownKeys')()].filter((each) => each !== undefined),
    getPrototypeOf: () => note('getPrototypeOf')() ?? null,
  };
  const value = {
    list: [new Proxy({ n: 1 }, traps)],
    get seats() {
      return note('seats')();
    },
  };
  const call = followed.call();
  followed.changes(call, { value, proxy: new Proxy([], traps) });
  expect(followed.changes(call, { value })).toEqual({});
  expect(ran).toEqual([]);
});

it('looks at everything again after a line that was passed and not told', () => {
  const line = followed.lineOf('||');
  const call = followed.call();
  followed.changes(call, { n: 1 }, line);
  expect(followed.changes(call, { n: 2 }, line)).toEqual({});
  followed.missed();
  expect(followed.changes(call, { n: 2 }, line)).toEqual({ n: ['2', 'number'] });
});
