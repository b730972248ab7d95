// Bookings of cabins: one is looked for, the price is asked, and it is taken.
const { priceOf } = require('./prices.js');
const { firstFree, take, sharedBy } = require('./cabins.js');

async function handle(_path, body) {
  const deck = body.deck ?? 'upper';
  const cabin = firstFree(deck);
  if (cabin === undefined) {
    return { booked: false };
  }
  const price = await priceOf(deck, body.nights ?? 1);
  take(cabin, body.name);
  const shared = sharedBy(cabin) > 1;
  return { booked: true, cabin, price, shared };
}

module.exports = { handle };
