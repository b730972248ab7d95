class Log {
  constructor() {
    this.readings = [];
  }

  get isEmpty() {
    return this.readings.length === 0;
  }

  add(reading) {
    if (reading >= 0) {
      this.readings.push(reading);
    }
  }

  strongest() {
    return [...this.readings].sort()[this.readings.length - 1];
  }

  mean() {
    const sum = this.readings.reduce((total, each) => total + each, 0);
    return Math.round((sum / this.readings.length) * 10) / 10;
  }
}

exports.Log = Log;
