const HOLDS = { fish: 30, salt: 50, oil: 20 };

/** One more than are filled, and as many more as are asked for. */
exports.cratesFor = (order) => {
  const holds = HOLDS[order.goods];
  const filled = Math.ceil(order.weight / holds);
  const spare = order.spare ?? 0 + 1;
  const crates = filled + spare;
  return crates;
};
