const HIGH = 12.4;

/** Metres of water at a quay. */
exports.depthAt = (quay, hour) => {
  const phase = (2 * Math.PI * (hour % HIGH)) / HIGH;
  const tide = Math.cos(phase) * quay.range;
  return Math.round((quay.depth + tide) * 100) / 100;
};
