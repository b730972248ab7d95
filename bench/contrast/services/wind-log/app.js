const { Log } = require('./log');
const { adviceFor } = require('./advice');

/** The wind of the last hours. */
exports.handle = (path, body) => {
  if (path !== '/wind') {
    return { error: 'no wind' };
  }
  const log = new Log();
  for (const reading of body.readings ?? []) {
    log.add(reading);
  }
  if (log.isEmpty) {
    return { error: 'nothing was read' };
  }
  const strongest = log.strongest();
  const advice = adviceFor(strongest, log.mean());
  return { boat: body.boat, strongest, mean: log.mean(), advice };
};
