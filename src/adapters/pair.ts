import { Duplex, PassThrough } from 'node:stream';

/** Two ends of a connection inside this process: what is written to one is read from the other. */
export function streamPair(): [Duplex, Duplex] {
  return joined({});
}

/**
 * The same for messages as they are, for two that are both in this process and ours: to have many hits made text and read
 * again would take as long as all else that is done with them.
 */
export function messagePair(): [Duplex, Duplex] {
  return joined({ objectMode: true });
}

function joined(options: { objectMode?: boolean }): [Duplex, Duplex] {
  const there = new PassThrough(options);
  const back = new PassThrough(options);
  return [Duplex.from({ readable: back, writable: there }), Duplex.from({ readable: there, writable: back })];
}
