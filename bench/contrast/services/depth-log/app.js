const { smooth } = require('./smooth');
const { asMeters, unitOf } = require('./units');
const { warningsFor } = require('./warnings');

/** What the sounding line has found, smoothed. */
exports.handle = (path, body) => {
  if (path !== '/depths') {
    return { error: 'unknown' };
  }
  const unit = unitOf(body.unit);
  const meters = body.values.map((value) => asMeters(value, unit));
  if (meters.length === 0) {
    return { error: 'no depths' };
  }
  const smoothed = smooth(meters, body.window);
  return { smoothed, least: Math.min(...smoothed), warnings: warningsFor(smoothed) };
};
