const owners = new Map();
const DECKS = { upper: 'U', lower: 'L' };

function firstFree(deck) {
  for (let number = 1; number <= 500; number += 1) {
    const cabin = `${DECKS[deck]}${number}`;
    if (!owners.has(cabin)) {
      return cabin;
    }
  }
  return undefined;
}

function take(cabin, name) {
  const names = owners.get(cabin) ?? [];
  names.push(name);
  owners.set(cabin, names);
}

function sharedBy(cabin) {
  return owners.get(cabin)?.length ?? 0;
}

module.exports = { firstFree, take, sharedBy };
