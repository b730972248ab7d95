// What was found, by sailing.
const FOUND = {
  K1: [
    { tag: 'L-11', colour: 'red' },
    { tag: 'L-12', colour: 'green', also: ['red'] },
  ],
  K3: [{ tag: 'L-31', colour: 'blue' }],
};

function foundOn(sailing) {
  return FOUND[sailing] ?? [];
}

module.exports = { foundOn };
