// Sailings and who waits for them; kept in memory, answered a little later, as a database does.
const SAILINGS = {
  K1: { boat: 'Kestrel', places: 40, booked: 20, waiting: [], night: false },
  K2: { boat: 'Kestrel', places: 40, booked: 40, waiting: ['Una', 'Ib'], night: false, usuallyGivenBack: 4 },
  P7: { boat: 'Petrel', places: 12, booked: 12, waiting: [], night: true },
};

function later(value) {
  return new Promise((done) => setImmediate(() => done(value)));
}

async function sailing(id) {
  const found = SAILINGS[id];
  if (found === undefined) {
    throw new Error(`no sailing ${id}`);
  }
  return later({ ...found, waiting: [...found.waiting] });
}

async function addWaiting(trip, person) {
  await later();
  trip.waiting.push(person.name);
  return trip.waiting.length;
}

module.exports = { sailing, addWaiting };
