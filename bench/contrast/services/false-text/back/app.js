// Bookings: fares, cabins and meals.
const { flag } = require('./flags.js');
const { cabinPrice, mealPrice } = require('./extras.js');

function handle(_path, body) {
  const lines = [{ what: 'fares', price: 14 * body.people }];
  const cabin = flag(body.cabin);
  const meals = flag(body.meals);
  if (cabin) {
    lines.push({ what: 'cabin', price: cabinPrice(body.people) });
  }
  if (meals) {
    lines.push({ what: 'meals', price: mealPrice(body.people, cabin) });
  }
  const total = lines.reduce((sum, { price }) => sum + price, 0);
  return { lines, total };
}

module.exports = { handle };
