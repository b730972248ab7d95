// Passes for the car park at the pier.
const { stayOf } = require('./stay');
const { priceOf } = require('./price');
const { spaceFor } = require('./spaces');

function handle(_path, body) {
  const stay = stayOf(body);
  if (stay.problem) {
    return { ok: false, why: stay.problem };
  }
  const space = spaceFor(stay);
  if (space === null) {
    return { ok: false, why: 'full' };
  }
  const price = priceOf(stay, space);
  return {
    ok: true,
    days: stay.days,
    space: space.name,
    price,
    receipt: receipt(stay, space, price),
  };
}

function receipt(stay, space, price) {
  const words = stay.days === 1 ? 'day' : 'days';
  return `${stay.days} ${words} on ${space.name}: ${price.toFixed(2)}`;
}

module.exports = { handle };
