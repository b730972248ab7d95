const CREWS = ['harbour', 'lifeboat'];

class Alarm {
  constructor(isNight) {
    this.isNight = isNight;
  }

  sound(isOn) {
    if (!isOn) {
      return 'none';
    }
    return this.isNight ? 'horn' : 'bell';
  }

  calls(isOn, level) {
    const count = level > 4 ? 2 : 1;
    return isOn ? CREWS.slice(0, count) : [];
  }
}

exports.Alarm = Alarm;
