function criteria(query) {
  const wanted = {};
  if (query.deck) {
    wanted.deck = query.deck;
  }
  if (query.side !== undefined) {
    wanted.side = query.side;
  }
  return wanted;
}

function fits(cabin, wanted) {
  for (const [name, value] of Object.entries(wanted)) {
    if (cabin[name] !== value) {
      return false;
    }
  }
  return true;
}

module.exports = { criteria, fits };
