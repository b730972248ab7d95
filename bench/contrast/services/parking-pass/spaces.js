// Where there is room.
const SPACES = [
  { name: 'the quay', covered: false, short: true },
  { name: 'the meadow', covered: false, short: false },
  { name: 'the shed', covered: true, short: false },
];
const SHORT = 2;

function spaceFor(stay) {
  const possible = SPACES.filter(({ covered }) => covered === stay.covered);
  if (stay.days > SHORT) {
    return possible.find(({ short }) => !short) ?? null;
  }
  return possible[0] ?? null;
}

module.exports = { spaceFor };
