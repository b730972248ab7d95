const { draughtOf } = require('./ships');
const { depthAt } = require('./tides');
const { quayOf } = require('./quays');

const SPARE = 0.3;

/** Whether a ship may come to a quay at an hour, and for how long it may stay. */
exports.handle = (path, body) => {
  if (path !== '/window') {
    return { error: 'unknown' };
  }
  const quay = quayOf(body.quay);
  if (quay === undefined) {
    return { error: `no quay ${body.quay}` };
  }
  const draught = draughtOf(body.ship, { load: body.load, pilot: body.pilot });
  const hours = [];
  for (let hour = body.hour; hour < body.hour + 6; hour += 1) {
    const depth = depthAt(quay, hour);
    if (depth - draught < SPARE) {
      break;
    }
    hours.push(hour);
  }
  return { draught, may: hours.length > 0, hours: hours.length, until: hours.at(-1) ?? null };
};
