import { namesAt } from '../../splice/names.js';
import { structureOf } from '../../splice/statements.js';

const SOURCE = `function book({ name, trip: { to } }, [first, ...rest], count = 1) {
  const notices = [];
  for (const line of lines) {
    let price = line.price;
    var last = price;
    use(price);
  }
  try {
    risky();
  } catch (error) {
    use(error);
  }
  const id = nextId++, other = 2;
  const inner = (item) => {
    const twice = item * 2;
    return twice;
  };
  return inner(id);
}
const top = 1;
use(top);`;

const structure = structureOf(SOURCE);
const at = (text: string) => {
  const site = structure?.sites.find(({ start }) => SOURCE.startsWith(text, start));
  return site && structure ? namesAt(structure.names, site).sort() : undefined;
};

it('knows which variables of a function have a value before a statement', () => {
  const parameters = ['count', 'first', 'name', 'rest', 'to'];
  expect(at('const notices')).toEqual(parameters);
  expect(at('let price')).toEqual([...parameters, 'line', 'notices'].sort());
  expect(at('use(price)')).toEqual([...parameters, 'last', 'line', 'notices', 'price'].sort());
  expect(at('use(error)')).toEqual([...parameters, 'error', 'last', 'notices'].sort());
  expect(at('const id')).toEqual([...parameters, 'last', 'notices'].sort());
  expect(at('return inner')).toEqual([...parameters, 'id', 'inner', 'last', 'notices', 'other'].sort());
});

it('passes over a name while an inner variable of the same name has no value yet', () => {
  const source = `function f(ch) {
  do {
    const last = 1;
    let ch = last;
    use(ch);
  } while (more());
  return ch;
}`;
  const found = structureOf(source);
  const before = (text: string) => {
    const site = found?.sites.find(({ start }) => source.startsWith(text, start));
    return site && found ? namesAt(found.names, site) : undefined;
  };
  expect(before('const last')).toEqual([]);
  expect(before('let ch')).toEqual(['last']);
  expect(before('use(ch)')?.sort()).toEqual(['ch', 'last']);
  expect(before('return ch')).toEqual(['ch']);
});

it('keeps to the function itself', () => {
  expect(at('return twice')).toEqual(['item', 'twice']);
  expect(at('use(top)')).toEqual(['top']);
});

it('knows where functions begin and end', () => {
  const [book, inner] = structure?.functions ?? [];
  expect([book?.name, book?.line, book?.lastLine]).toEqual(['book', 1, 19]);
  expect([inner?.name, inner?.line, inner?.lastLine]).toEqual(['inner', 14, 17]);
  expect([...(structure?.openings.keys() ?? [])].map((start) => SOURCE.slice(start, start + 9))).toEqual([
    'const not',
    'const twi',
  ]);
});
