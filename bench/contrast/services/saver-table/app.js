// What a crossing costs, with the saver fares of quiet days.
const { ROUTES } = require('./routes.js');
const { isQuiet, weekdayOf } = require('./calendar.js');
const { extrasFor } = require('./extras.js');

function handle(_path, body) {
  const route = ROUTES.find(({ from, to }) => from === body.from && to === body.to);
  if (route === undefined) {
    return { error: 'no such crossing' };
  }
  const weekday = weekdayOf(body.date);
  const quiet = isQuiet(body.date, route);
  const base = fareOf(route, quiet);
  const people = body.people ?? 1;
  const extras = extrasFor(body.extras ?? [], route);
  const fares = base * people;
  const total = fares + extras.reduce((sum, { price }) => sum + price, 0);
  return {
    total: Math.round(total * 100) / 100,
    weekday,
    fare: quiet ? 'saver' : 'full',
    extras: extras.map(({ name }) => name),
  };
}

function fareOf(route, quiet) {
  if (quiet && route.saver !== null) {
    return route.saver;
  }
  return route.full;
}

module.exports = { handle };
