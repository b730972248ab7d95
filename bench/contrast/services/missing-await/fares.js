const FARES = { adult: 12, child: 6, car: 40, bicycle: 4 };
const later = (value) => new Promise((done) => setImmediate(done, value));

async function fareOf(kind) {
  const fare = FARES[kind] ?? FARES.adult;
  return await later(fare);
}

async function vehicleFare(vehicle) {
  const fare = FARES[vehicle];
  return await later(fare);
}

module.exports = { fareOf, vehicleFare };
