/*
 * Messages that are nearly right: random changes of such as each protocol has, by a generator with a seed.
 */

/** Random numbers from 0 to 1 that a seed decides (mulberry32). */
export function randomFrom(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

const STRANGE = [
  null,
  true,
  -1,
  0,
  1e308,
  2 ** 53,
  0.5,
  '',
  'x'.repeat(10_000),
  '\u0000',
  '\ud800',
  '../../../etc/passwd',
  '/',
  'é‮',
  [],
  {},
  [[[[[[]]]]]],
  { toString: 1, constructor: { prototype: null }, ['__proto__']: { a: 1 } },
];

/** A copy of plain data with some of it changed. */
function changed(data, random) {
  if (random() < 0.12) {
    return STRANGE[Math.floor(random() * STRANGE.length)];
  }
  if (Array.isArray(data)) {
    const items = data.map((item) => changed(item, random));
    return random() < 0.1 ? [...items, ...items] : items;
  }
  if (typeof data === 'object' && data !== null) {
    const entries = Object.entries(data)
      .filter(() => random() > 0.06)
      .map(([key, item]) => [random() < 0.03 ? `${key}x` : key, changed(item, random)]);
    return Object.fromEntries(entries);
  }
  if (typeof data === 'number' && random() < 0.3) {
    return data + Math.floor((random() - 0.5) * 10);
  }
  return data;
}

/** Bytes with some of them changed, cut or doubled. */
function damaged(bytes, random) {
  const copy = Buffer.from(bytes);
  const kind = random();
  if (kind < 0.4) {
    for (let times = 0; times < 1 + random() * 4; times += 1) {
      copy[Math.floor(random() * copy.length)] = Math.floor(random() * 256);
    }
    return copy;
  }
  const at = Math.floor(random() * copy.length);
  return kind < 0.7 ? copy.subarray(0, at) : Buffer.concat([copy, copy.subarray(at)]);
}

const deep = (depth) => `${'['.repeat(depth)}${']'.repeat(depth)}`;

/** By protocol: how a message is put on the wire. */
export const FRAMES = {
  dap: (text) => Buffer.from(`Content-Length: ${Buffer.byteLength(text)}\r\n\r\n${text}`),
  lines: (text) => Buffer.from(`${text}\n`),
  dbgp: (text) => Buffer.from(`${Buffer.byteLength(text)}\0${text}\0`),
};

/** A message of a corpus, changed in what it says or in its bytes; now and then exactly as it was. */
export function mutated(corpus, frame, random) {
  const message = corpus[Math.floor(random() * corpus.length)];
  const asText = (data) => (typeof data === 'string' ? data : JSON.stringify(data));
  const kind = random();
  if (kind < 0.05) {
    return frame(asText(message));
  }
  if (kind < 0.06) {
    return frame(deep(100_000));
  }
  if (kind < 0.75 && typeof message !== 'string') {
    return frame(asText(changed(message, random)));
  }
  if (kind < 0.9) {
    return damaged(frame(asText(message)), random);
  }
  return frame(String(damaged(Buffer.from(asText(message)), random)));
}
