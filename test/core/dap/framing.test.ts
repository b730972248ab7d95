import fc from 'fast-check';
import { encodeFrame, FrameDecoder, MAX_MESSAGE_BYTES } from '../../../src/core/dap/framing.js';

function decode(...chunks: (string | Buffer)[]): unknown[] {
  const decoder = new FrameDecoder();
  return chunks.flatMap((chunk) => decoder.feed(Buffer.from(chunk as string)));
}

const jsonObject = fc.dictionary(fc.string(), fc.jsonValue());

describe('frames', () => {
  it('give back any messages however their bytes are cut', () => {
    fc.assert(
      fc.property(
        fc.array(jsonObject, { maxLength: 5 }),
        fc.array(fc.nat({ max: 400 })),
        (messages, cuts) => {
          const bytes = Buffer.concat(messages.map((message) => encodeFrame(message)));
          const points = [...cuts.map((cut) => Math.min(cut, bytes.length)), 0, bytes.length].sort(
            (a, b) => a - b,
          );
          const decoder = new FrameDecoder();
          const found: unknown[] = [];
          for (let index = 1; index < points.length; index += 1) {
            found.push(...decoder.feed(bytes.subarray(points[index - 1], points[index])));
          }
          expect(found).toEqual(messages.map((message) => JSON.parse(JSON.stringify(message))));
          expect(decoder.atBoundary).toBe(true);
        },
      ),
    );
  });

  it('count bytes, not characters', () => {
    const message = { name: '船と港 ⛴' };
    const frame = encodeFrame(message);
    expect(frame.toString('latin1')).toContain(
      `Content-Length: ${Buffer.byteLength(JSON.stringify(message))}\r\n`,
    );
    expect(decode(frame)).toEqual([message]);
  });

  it('take any case of the header and other headers beside it', () => {
    expect(decode('X-More: 1\r\ncontent-LENGTH:  2\r\n\r\n{}')).toEqual([{}]);
  });

  it('are known to be cut in the middle', () => {
    const decoder = new FrameDecoder();
    decoder.feed(Buffer.from('Content-Length: 10\r\n\r\n{"a"'));
    expect(decoder.atBoundary).toBe(false);
  });

  it.each([
    ['Content-Length: ten\r\n\r\n', 'not a number: "ten"'],
    ['Content-Length: -5\r\n\r\n', 'not a number: "-5"'],
    ['Content-Type: x\r\n\r\n', 'without Content-Length'],
    ['Content-Length: 3\r\n\r\n{a}', 'not JSON'],
    [`Content-Length: ${MAX_MESSAGE_BYTES + 1}\r\n\r\n`, `over the limit of ${MAX_MESSAGE_BYTES}`],
    ['HTTP/1.1 200 OK'.repeat(400), 'no end of header within 4096 bytes; it begins "HTTP/1.1 200 OK'],
  ])('that are broken are named: %j', (bytes, words) => {
    expect(() => decode(bytes)).toThrow(
      expect.objectContaining({ code: 'AL_FRAME', message: expect.stringContaining(words) }),
    );
  });
});
