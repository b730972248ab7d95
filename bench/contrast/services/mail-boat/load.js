const LETTER = 0.02;
const PARCEL = 2;
const BAG = 20;

class Load {
  constructor({ letters, parcels }) {
    this.letters = letters ?? 0;
    this.parcels = parcels || 1;
  }

  isEmpty() {
    return this.letters === 0 && this.parcels === 0;
  }

  weight() {
    const weight = this.letters * LETTER + this.parcels * PARCEL;
    return Math.round(weight * 100) / 100;
  }

  bags() {
    return Math.ceil(this.letters / BAG);
  }
}

exports.Load = Load;
