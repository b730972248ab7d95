const { Deck } = require('./deck');
const { Piece } = require('./piece');

/** Cargo on deck, by its area. */
exports.handle = (path, body) => {
  if (path !== '/deck') {
    return { error: 'no deck' };
  }
  const pieces = (body.pieces ?? []).map((given) => new Piece(given));
  if (pieces.length === 0) {
    return { error: 'what is to go?' };
  }
  const deck = new Deck(body.ferry ?? 'large');
  for (const piece of pieces) {
    deck.load(piece);
  }
  return {
    ferry: deck.name,
    area: deck.used,
    left: deck.left(),
    isFull: deck.isFull(),
    price: deck.price(),
  };
};
