const RATES = { EUR: 1, DKK: 7.46, NOK: 11.2 };
const FEE = 2;

exports.convert = (amount, target, hasFee) => {
  const rate = RATES[target];
  if (rate === undefined) {
    return undefined;
  }
  const fee = hasFee && amount < 500 ? FEE : 0;
  const left = Math.max(0, amount - fee);
  const value = Math.round(left * rate * 100) / 100;
  return { value, fee, rate };
};
