// What is paid for a bag that stays lost.
const EACH = 80;
const INSURED = 250;

function paymentFor(missing, insured) {
  const each = insured ? INSURED : EACH;
  return missing * each;
}

module.exports = { paymentFor };
