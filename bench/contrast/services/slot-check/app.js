const slots = require('./slots');
const { feeOf } = require('./fees');

function hoursOf({ hour, hours }) {
  return Array.from({ length: hours }, (_, n) => hour + n);
}

/** Slots at the docks, by the hour. */
exports.handle = async (path, body) => {
  if (path !== '/slots') {
    return { error: 'no slots' };
  }
  if (!(body.hours > 0)) {
    return { error: 'how long?' };
  }
  const hours = hoursOf(body);
  const isFree = slots.isFree(body.dock, hours);
  if (!isFree) {
    return { error: 'taken', hours };
  }
  const fee = feeOf(body.dock, hours);
  const number = await slots.numberOf(body.dock);
  return {
    slot: `${body.dock}-${number}`,
    from: hours[0],
    to: hours[hours.length - 1] + 1,
    fee,
    name: body.name ?? 'unnamed',
  };
};
