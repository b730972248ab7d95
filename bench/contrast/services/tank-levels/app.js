const { Tank } = require('./tank');
const { Gauge } = require('./gauge');
const { tankNamed } = require('./tanks');

/** The tanks of a boat. */
exports.handle = (path, body) => {
  if (path !== '/tanks') {
    return { error: 'unknown' };
  }
  const found = tankNamed(body.tank);
  if (found === undefined) {
    return { error: `no tank ${body.tank}` };
  }
  const tank = new Tank(found, body.liters);
  if (body.draw) {
    tank.draw(body.draw);
  }
  if (body.fill) {
    tank.fill(body.fill);
  }
  const gauge = new Gauge(tank);
  return { liters: tank.liters, shows: gauge.text(), alarm: gauge.alarm() };
};
