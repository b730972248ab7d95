const { cratesFor } = require('./crates');
const { loadOf, trucksFor } = require('./trucks');

const KNOWN = ['fish', 'salt', 'oil'];

/** Crates for goods, and the trucks to take them. */
exports.handle = (path, body) => {
  if (path !== '/crates') {
    return { error: 'no crates' };
  }
  if (!KNOWN.includes(body.goods)) {
    return { error: 'we do not take that' };
  }
  if (!(body.weight > 0)) {
    return { error: 'how heavy?' };
  }
  const crates = cratesFor(body);
  const load = loadOf(body, crates);
  const trucks = trucksFor(load);
  return {
    goods: body.goods,
    crates,
    load,
    trucks: trucks.map(({ name }) => name),
    cost: trucks.reduce((sum, { cost }) => sum + cost, 0),
  };
};
