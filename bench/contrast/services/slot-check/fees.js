const RATES = { north: 12, south: 9 };
const EVENING = 18;

exports.feeOf = (dock, hours) => {
  let fee = 0;
  for (const hour of hours) {
    const rate = RATES[dock];
    fee += hour >= EVENING ? rate / 2 : rate;
  }
  return fee;
};
