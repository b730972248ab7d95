const STEPS = 8;

class Gauge {
  constructor(tank) {
    this.tank = tank;
  }

  text() {
    const steps = Math.round(this.tank.share() * STEPS);
    return '#'.repeat(steps).padEnd(STEPS, '.');
  }

  alarm() {
    return this.tank.share() < 0.1;
  }
}

exports.Gauge = Gauge;
