const { eachFor } = require('./tariff');

const FIRST_NIGHT = 1;

class Rental {
  constructor(count, nights) {
    this.count = count;
    this.nights = nights;
  }

  /** The number of the night on which they come back. */
  until() {
    const { nights } = this;
    const last = FIRST_NIGHT + nights;
    return last > 30 ? 'next month' : `night ${last}`;
  }

  price() {
    const nights = Number(this.nights);
    const each = eachFor(this.count);
    return each * this.count * nights;
  }
}

exports.Rental = Rental;
