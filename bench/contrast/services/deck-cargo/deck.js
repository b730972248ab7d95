const AREAS = { small: 60, large: 150 };
const PRICE = 7;
const HEAVY = 25;

class Deck {
  constructor(name) {
    this.name = name;
    this.used = 0;
    this.extra = 0;
  }

  load(piece) {
    this.used += piece.area();
    if (piece.isHeavy()) {
      this.extra += HEAVY;
    }
  }

  left() {
    return Math.max(0, AREAS[this.name] - this.used);
  }

  isFull() {
    return this.left() < 10;
  }

  price() {
    return this.used * PRICE + this.extra;
  }
}

exports.Deck = Deck;
