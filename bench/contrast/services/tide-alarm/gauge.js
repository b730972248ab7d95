const HIGH = 3.5;
const STRONG = 10;

class Gauge {
  constructor(level, wind) {
    this.level = level;
    this.wind = wind;
  }

  text() {
    return `${this.level.toFixed(1)} m`;
  }

  isDangerous() {
    return this.level > HIGH && this.wind > STRONG;
  }
}

exports.Gauge = Gauge;
