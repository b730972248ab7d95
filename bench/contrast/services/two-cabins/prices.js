const PRICES = { upper: 40, lower: 32 };

function later(value) {
  return new Promise((done) => setTimeout(() => done(value), 3));
}

async function priceOf(deck, nights) {
  const each = await later(PRICES[deck]);
  const price = each * nights;
  return price;
}

module.exports = { priceOf };
