/** What each gets of a pool. */
exports.sharesOf = ({ total, crew, keepsBox }) => {
  const weights = crew.map(({ weight }) => weight);
  const all = weights.reduce((sum, weight) => sum + weight, 0);
  const pool = keepsBox ? total - 1 : total;
  const shares = [];
  for (const { name, weight } of crew) {
    const part = (pool * weight) / all;
    const cents = Math.floor(part * 100);
    shares.push({ name, weight, cents });
  }
  if (keepsBox) {
    shares.push({ name: 'box', weight: 0, cents: 100 });
  }
  return shares;
};
