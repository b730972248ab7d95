const { leave, placesLeft } = require('./lists');
const { letterFor } = require('./letters');

/** Names are taken off the lists of guests. */
exports.handle = (path, body) => {
  if (path !== '/leave') {
    return { error: 'no list' };
  }
  if (!body.name) {
    return { error: 'who leaves?' };
  }
  const { names, gone } = leave(body.list, body.name);
  const left = placesLeft(names);
  const letter = letterFor(body.name, body.reason);
  return { names, gone, left, letter };
};
