/** How much a code takes off. */
exports.discountFor = (entry, { total, seats }) => {
  if (entry === undefined) {
    return 0;
  }
  switch (entry.kind) {
    case 'percent':
      return (total * entry.value) / 100;
    case 'each':
      return seats >= entry.from ? seats * entry.value : 0;
    default:
      return 0;
  }
};
