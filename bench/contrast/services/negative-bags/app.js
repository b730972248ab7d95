// Luggage that is handed in before boarding.
const { allowanceOf } = require('./allowance.js');
const { parseBags } = require('./bags.js');
const { room } = require('./hold.js');

function handle(_path, body) {
  const bags = parseBags(body.bags);
  const allowance = allowanceOf(body.fare ?? 'full');
  const weight = bags.reduce((sum, bag) => sum + bag.weight * bag.count, 0);
  const extra = extraWeight(weight, allowance);
  const left = room(body.boat ?? 'Kestrel') - weight;
  if (left < 0) {
    return { accepted: false, why: 'the hold is full' };
  }
  const charge = chargeFor(extra, bags);
  return { accepted: true, weight, extra, charge, tags: tags(bags), left };
}

function extraWeight(weight, allowance) {
  const extra = weight - allowance.weight;
  return Math.max(extra, 0);
}

function chargeFor(extra, bags) {
  let charge = extra * 2;
  for (const bag of bags) {
    if (bag.bulky) {
      charge += 8 * bag.count;
    }
  }
  return charge;
}

function tags(bags) {
  const found = [];
  for (const bag of bags) {
    for (let number = 1; number <= bag.count; number += 1) {
      found.push(`${bag.name}-${number}`);
    }
  }
  return found;
}

module.exports = { handle };
