import { Duplex, PassThrough } from 'node:stream';

/** Two ends of a connection inside this process: what is written to one is read from the other. */
export function streamPair(): [Duplex, Duplex] {
  const there = new PassThrough();
  const back = new PassThrough();
  return [Duplex.from({ readable: back, writable: there }), Duplex.from({ readable: there, writable: back })];
}
