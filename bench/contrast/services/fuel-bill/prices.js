// Prices for a litre by port, and what is taken off for much of it.
const PRICES = { Tarrin: 1.5, Skerrow: 1.62 };

function priceAt(port) {
  return PRICES[port] ?? PRICES.Tarrin;
}

function discountFor(litres) {
  if (litres >= 500) {
    return 0.05;
  }
  return litres >= 200 ? 0.02 : 0;
}

module.exports = { priceAt, discountFor };
