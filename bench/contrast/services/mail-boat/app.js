const { Load } = require('./load');
const { Boat } = require('./boat');

/** The mail boat takes letters and parcels. */
exports.handle = (path, body) => {
  if (path !== '/mail') {
    return { error: 'no mail' };
  }
  const load = new Load(body);
  if (load.isEmpty()) {
    return { error: 'nothing to take' };
  }
  const boat = new Boat(body.fast === true);
  return {
    weight: load.weight(),
    bags: load.bags(),
    price: boat.priceFor(load),
    minutes: boat.minutes(),
  };
};
