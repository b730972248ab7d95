// What a pass costs: less by the day for those that stay long.
const DAY = 6;
const COVERED = 2.5;

function priceOf(stay, space) {
  const day = space.covered ? DAY + COVERED : DAY;
  let price = stay.days * day;
  if (stay.days >= 7) {
    price *= 0.8;
  }
  return Math.round(price * 100) / 100;
}

module.exports = { priceOf };
