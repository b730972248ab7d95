const { Gauge } = require('./gauge');
const { Alarm } = require('./alarm');

/** The alarm of the quay: at a high level, or at a strong wind. */
exports.handle = (path, body) => {
  if (path !== '/alarm') {
    return { error: 'no alarm' };
  }
  const gauge = new Gauge(body.level, body.wind);
  const alarm = new Alarm(body.night === true);
  const isOn = gauge.isDangerous();
  return {
    level: gauge.text(),
    isOn,
    sound: alarm.sound(isOn),
    calls: alarm.calls(isOn, gauge.level),
  };
};
