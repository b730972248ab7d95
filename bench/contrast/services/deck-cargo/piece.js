class Piece {
  constructor({ length, width, weight = 1 }) {
    this.length = length;
    this.width = width;
    this.weight = weight;
  }

  area() {
    return this.length * this.length;
  }

  isHeavy() {
    return this.weight > 10;
  }
}

exports.Piece = Piece;
