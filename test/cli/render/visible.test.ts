import fc from 'fast-check';
import { makePalette } from '../../../src/cli/render/palette.js';
import { clip } from '../../../src/cli/render/text.js';
import { jsonLine, rendition, visible } from '../../../src/cli/render/visible.js';

const codes = (text: string) => [...text].map((character) => character.codePointAt(0) ?? 0);
/** What a terminal acts on, or nobody sees; the line end and the tabulator are neither. */
const isHidden = (code: number) =>
  (code < 0x20 && code !== 0x0a && code !== 0x09) ||
  (code >= 0x7f && code < 0xa0) ||
  [0xad, 0x61c, 0x180e, 0x200b, 0x200e, 0x200f, 0xfeff].includes(code) ||
  (code >= 0x2028 && code <= 0x202e) ||
  (code >= 0x2060 && code <= 0x206f) ||
  (code >= 0xe0000 && code <= 0xe007f);

/** Texts full of what is dangerous, besides any others. */
const hostile = fc.string({
  unit: fc.oneof(
    fc.constantFrom(
      '\x1b',
      '[',
      ']',
      '2J',
      '0;',
      '\x07',
      '\r',
      '\n',
      '\x9b',
      '\u202e',
      '\u200b',
      '\u2066',
      'm',
      '31',
    ),
    fc.string({ unit: 'binary', maxLength: 2 }),
  ),
});

it('nothing that comes from outside is acted on by a terminal', () => {
  fc.assert(
    fc.property(hostile, (text) => {
      expect(codes(visible(text)).filter(isHidden)).toEqual([]);
      expect(codes(clip(visible(text), 30)).filter((code) => isHidden(code) || code === 0x0a)).toEqual([]);
    }),
  );
});

it('styles of ours pass, and only ours', () => {
  const palette = makePalette(true);
  expect(visible(palette.bad('a\x1b[31mb'))).toBe('\x1b[31ma␛[31mb\x1b[39m');
  expect(visible(`${palette.strong('a')} ${palette.next('b')}`)).toBe(
    '\x1b[1ma\x1b[22m \x1b[1m\x1b[33mb\x1b[39m\x1b[22m',
  );
  // One inside another does not end it.
  expect(visible(palette.strong(`a ${palette.faint('b')} c`))).toBe(
    '\x1b[1ma \x1b[2mb\x1b[22m\x1b[1m c\x1b[22m',
  );
  expect(visible(makePalette(false).bad('plain'))).toBe('plain');
  expect(visible('\x1b[31;1234;5678mx')).toBe('␛[31;1234;5678mx');
  expect(visible(rendition(7))).toBe('\x1b[7m');
});

it('what cannot be seen is written out, and what people write stays', () => {
  expect(visible('a\x1b[2J\x1b]0;title\x07b\x7f\x9b')).toBe('a␛[2J␛]0;title␇b␡‹009B›');
  expect(visible('one\r\ntwo\rthree\tfour')).toBe('one\ntwo␍three\tfour');
  expect(visible('safe\u202etxt.exe\u200b ad\u200dmin')).toBe('safe‹202E›txt.exe‹200B› ad‹200D›min');
  for (const text of ['Möwe', '海鳥', '👩‍👩‍👧', 'می‌خواهم', 'क्‍ष', '→ ⏎ ▸']) {
    expect(visible(text)).toBe(text);
  }
});

it('records are exact, and a terminal that shows them acts on nothing', () => {
  fc.assert(
    fc.property(fc.record({ text: hostile, more: fc.array(hostile) }), (record) => {
      const line = jsonLine(record);
      expect(JSON.parse(line)).toEqual(record);
      expect(codes(line).filter((code) => isHidden(code) || code === 0x0a)).toEqual([]);
    }),
  );
});
