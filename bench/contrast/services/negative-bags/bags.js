const KINDS = {
  case: { weight: 18, bulky: false },
  rucksack: { weight: 11, bulky: false },
  surfboard: { weight: 9, bulky: true },
  pram: { weight: 8, bulky: true },
};

function parseBags(text) {
  return String(text ?? '')
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')
    .map(parseBag);
}

function parseBag(part) {
  const [name, amount = '1'] = part.split(':');
  const kind = KINDS[name];
  if (kind === undefined) {
    throw new Error(`no kind ${name}`);
  }
  const count = Number(amount);
  if (Number.isNaN(count)) {
    throw new Error(`no number ${amount}`);
  }
  return { name, count, weight: kind.weight, bulky: kind.bulky };
}

module.exports = { parseBags };
