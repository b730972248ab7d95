class Tank {
  constructor(tank, liters) {
    this.tank = tank;
    this.liters = liters;
  }

  draw(liters) {
    const left = this.liters - liters;
    this.liters = Math.max(0, left);
  }

  /** What comes in through the hose, of which a part is lost. */
  fill(liters) {
    this.liters -= liters * this.tank.pace;
    if (this.liters > this.tank.holds) {
      this.liters = this.tank.holds;
    }
  }

  share() {
    return this.liters / this.tank.holds;
  }
}

exports.Tank = Tank;
