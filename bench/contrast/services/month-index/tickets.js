const MONTHLY = { adult: 62, child: 31 };

function priceFor(kind, months) {
  const price = MONTHLY[kind] * months;
  if (months >= 12) {
    return Math.round(price * 0.8);
  }
  return months >= 6 ? Math.round(price * 0.9) : price;
}

module.exports = { priceFor };
