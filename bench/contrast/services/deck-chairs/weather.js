// The weather, as far as chairs go.
class Weather {
  constructor(wind) {
    this.wind = wind;
  }

  isTooWindy() {
    return this.wind > 8;
  }

  factor() {
    if (this.wind >= 5) {
      return 0.5;
    }
    return 1;
  }
}

module.exports = { Weather };
