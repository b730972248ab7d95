const { seasonOf } = require('./seasons.js');

const cache = new Map();

function handle(_path, body) {
  const season = seasonOf(body.month);
  const key = keyFor(body.route, body.kind);
  let fare = cache.get(key);
  if (fare === undefined) {
    fare = compute(body.route, body.kind, season);
    cache.set(key, fare);
  }
  return { fare, season };
}

function keyFor(route, kind) {
  return `${route}/${kind}`;
}

function compute(route, kind, season) {
  let fare = route.length * 2;
  if (kind === 'child') {
    fare = fare / 2;
  }
  if (season === 'high') {
    fare = fare * 1.5;
  }
  return fare;
}

module.exports = { handle };
