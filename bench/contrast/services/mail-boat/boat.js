const KILO = 1.5;
const FAST = 8;

class Boat {
  constructor(isFast) {
    this.isFast = isFast;
  }

  minutes() {
    return this.isFast ? 35 : 60;
  }

  priceFor(load) {
    const price = load.weight() * KILO + load.bags() * 2;
    return this.isFast ? price + FAST : price;
  }
}

exports.Boat = Boat;
