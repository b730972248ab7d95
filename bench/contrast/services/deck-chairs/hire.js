// What a hire costs. A deposit is taken for every chair, however long it is out, but only where there are more than two.
const HOUR = 3;
const SHADE = 1.5;
const DEPOSIT = 10;

class Hire {
  constructor(hours, chairs, shade) {
    this.hours = hours;
    this.chairs = chairs;
    this.shade = shade;
  }

  rent() {
    const each = this.shade ? HOUR + SHADE : HOUR;
    const full = each * this.hours * this.chairs;
    return this.hours >= 4 ? full * 0.8 : full;
  }

  deposit() {
    const { hours, chairs } = this;
    if (chairs <= 2) {
      return 0;
    }
    const deposit = chairs * DEPOSIT * hours;
    return deposit;
  }

  quote(weather) {
    const rent = Math.round(this.rent() * weather.factor() * 100) / 100;
    const deposit = this.deposit();
    return { rent, deposit, total: rent + deposit };
  }
}

module.exports = { Hire };
