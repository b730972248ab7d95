// Deck chairs are hired by the hour.
const { Hire } = require('./hire');
const { Weather } = require('./weather');

function handle(_path, body) {
  const hours = Number(body.hours);
  const chairs = Number(body.chairs ?? 1);
  if (!Number.isInteger(chairs) || chairs < 1) {
    return { ok: false, why: 'how many chairs?' };
  }
  const weather = new Weather(body.wind ?? 2);
  if (weather.isTooWindy()) {
    return { ok: false, why: 'too windy' };
  }
  const hire = new Hire(hours, chairs, body.shade === true);
  return { ok: true, ...hire.quote(weather) };
}

module.exports = { handle };
