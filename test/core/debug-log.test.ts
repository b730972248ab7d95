import { type DebugSink, dapInShort, debug, setDebugSink } from '../../src/core/debug-log.js';

afterEach(() => setDebugSink(undefined));

it('tells of messages, and computes nothing while nobody listens', () => {
  debug('dap', 'sent', () => {
    throw new Error('nobody asked for it');
  });
  const told: Parameters<DebugSink>[] = [];
  setDebugSink((...line) => void told.push(line));
  debug('v8', 'received', () => '7 result 12');
  expect(told).toEqual([['v8', 'received', '7 result 12']]);
});

it('a message of DAP is told without what it carries', () => {
  const secret = 'swordfish';
  const asked = { seq: 3, type: 'request', command: 'evaluate', arguments: { expression: secret } };
  const failed = {
    seq: 9,
    type: 'response',
    command: 'evaluate',
    request_seq: 3,
    success: false,
    message: secret,
  };
  expect(dapInShort(asked)).toMatch(/^3 request evaluate \d+$/);
  expect(dapInShort(failed)).toMatch(/^9 response evaluate to 3 failed \d+$/);
  expect(dapInShort({ seq: 4, type: 'event', event: 'output', body: { output: secret } })).toMatch(
    /^4 event output \d+$/,
  );
  expect(dapInShort(undefined)).toBe(' 4');
});
