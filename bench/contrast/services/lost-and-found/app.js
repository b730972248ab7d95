// Things that were left on board, and who asks for them.
const { things } = require('./things.js');
const { score } = require('./score.js');

async function handle(_path, body) {
  const all = await things(body.boat);
  const scored = [];
  for (const thing of all) {
    const points = score(thing, body);
    if (points > 0) {
      scored.push({ ...thing, points });
    }
  }
  scored.sort((one, other) => other.points - one.points);
  const best = scored[0];
  if (best === undefined) {
    return { found: false, looked: all.length };
  }
  return { found: true, id: best.id, sure: best.points >= 3, others: scored.length - 1 };
}

module.exports = { handle };
