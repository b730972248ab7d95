const PRICES = { 'Holm-Skerrow': 14, 'Innish-Skerrow': 18, 'Holm-Tarrin': 11 };

function priceOf(from, to, people) {
  const key = [from, to].sort().join('-');
  const price = PRICES[key];
  if (price === undefined) {
    return 0;
  }
  return people > 4 ? price * people * 0.9 : price * people;
}

module.exports = { priceOf };
