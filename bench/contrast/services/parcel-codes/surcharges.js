const EXPRESS = 4;
const HEAVY = 20;

exports.surcharges = (body, count) => {
  const found = [];
  if (body.express) {
    found.push({ name: 'express', amount: EXPRESS * Math.max(1, count) });
  }
  if (body.weight > HEAVY) {
    found.push({ name: 'heavy', amount: 6 });
  }
  return found;
};
