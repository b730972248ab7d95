const { discountFor } = require('./discounts');
const { entryOf } = require('./codes');

/** Codes from the paper, that make a booking cheaper. */
exports.handle = (path, body) => {
  if (path !== '/promo') {
    return { error: 'unknown' };
  }
  const total = Number(body.total);
  if (!(total > 0)) {
    return { error: 'what for?' };
  }
  const entry = entryOf(body.code);
  const discount = discountFor(entry, { total, seats: body.seats ?? 1 });
  const left = Math.max(0, total - discount);
  return { left, discount, message: entry ? entry.message : 'no code' };
};
