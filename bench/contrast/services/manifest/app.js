// The list of passengers that the harbour office gets before a boat leaves.
const { passengersOf, boatOf } = require('./passengers.js');
const { field, checksum } = require('./format.js');

function handle(_path, body) {
  const boat = boatOf(body.boat);
  const passengers = passengersOf(boat, body.names);
  const rows = passengers.map((passenger, index) => row(passenger, index + 1));
  const width = rows[0]?.length ?? 0;
  const total = rows.reduce((sum, each) => sum + checksum(each), 0) % 9973;
  const problems = rows.flatMap((each, index) => (each.length === width ? [] : [`row ${index + 1}`]));
  return {
    boat: boat.name,
    rows: rows.map((each) => each.toString('hex')),
    text: rows.map((each) => each.toString('utf8').trim()),
    total,
    problems,
  };
}

function row(passenger, number) {
  const parts = [field(String(number), 3), field(passenger.name, 20), field(passenger.harbour, 10)];
  if (passenger.child) {
    parts.push(field('C', 1));
  } else {
    parts.push(field('A', 1));
  }
  return Buffer.concat(parts);
}

module.exports = { handle };
