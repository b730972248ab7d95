// Sailings and their seats, as the store has them.
const SAILINGS = {
  K3: { id: 'K3', seats: 40, sold: 40 },
  K5: { id: 'K5', seats: 20, sold: 20 },
  P9: { id: 'P9', seats: 12, sold: 3 },
};

const tick = () => new Promise((done) => setImmediate(done));

async function sailingOf(id) {
  await tick();
  return SAILINGS[id];
}

async function hasRoom(sailing) {
  await tick();
  const left = sailing.seats - sailing.sold;
  return left > 0;
}

async function take(sailing) {
  await tick();
  return sailing.sold + 1;
}

module.exports = { sailingOf, hasRoom, take };
