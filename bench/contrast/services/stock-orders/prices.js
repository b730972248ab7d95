/** What a number of an item costs; from ten on a tenth less. */
exports.priceOf = function priceOf({ price }, count) {
  const whole = price * count;
  if (count >= 10) {
    return Math.round(whole * 90) / 100;
  }
  return whole;
};
