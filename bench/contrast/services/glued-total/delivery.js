// What it costs to have things brought to a cabin.
const DECKS = { A: 1, B: 2, C: 3 };

function deliveryFor(cabin, lines) {
  if (!cabin) {
    return { fee: 0, minutes: 0 };
  }
  const deck = DECKS[cabin[0]] ?? 1;
  const pieces = lines.reduce((count, line) => count + line.count, 0);
  const base = pieces > 3 ? 2.5 : 1.5;
  const fee = lines.some(({ cold }) => cold) ? cooled(base) : base;
  return { fee, minutes: deck * 4 + pieces };
}

function cooled(base) {
  const share = base * 1.2;
  return share.toFixed(2);
}

module.exports = { deliveryFor };
