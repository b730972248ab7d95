const { Host } = require('./host');
const { labelsOf } = require('./labels');

/** Rooms with people on the islands. */
exports.handle = (path, body) => {
  if (path !== '/hosts') {
    return { error: 'unknown' };
  }
  const host = new Host(body.name, body.beds);
  if (!host.isValid()) {
    return { error: 'who, and how many beds?' };
  }
  const labels = labelsOf(host, { pets: body.pets, named: body.named });
  return { host: host.title(), labels, price: host.price() };
};
