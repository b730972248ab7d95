const PRICES = new Map([
  ['tea', 3],
  ['bun', 2.5],
  ['soup', 7],
]);

/** The kitchen answers after a moment. */
exports.priceOf = async (item) => {
  await new Promise((done) => setTimeout(done, 2));
  return PRICES.get(item) ?? 0;
};
