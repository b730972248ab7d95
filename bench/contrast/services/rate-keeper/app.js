const { amountOf } = require('./amounts');
const { convert } = require('./exchange');
const { shown } = require('./shown');

/** The exchange desk on board. */
exports.handle = (path, body) => {
  if (path !== '/rates') {
    return { error: 'unknown' };
  }
  const amount = amountOf(body.amount);
  const target = body.to ?? 'EUR';
  const result = convert(amount, target, body.fee === true);
  if (result === undefined) {
    return { error: `no rate for ${target}` };
  }
  return { text: shown(result.value, target), fee: result.fee, rate: result.rate };
};
