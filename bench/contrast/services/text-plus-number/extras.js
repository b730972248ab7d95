const PRICES = { meal: 9, cabin: 35, blanket: '3', paper: 2 };

function extras(wanted) {
  const prices = [];
  for (const name of wanted) {
    const price = PRICES[name];
    prices.push(price);
  }
  return prices;
}

module.exports = { extras };
