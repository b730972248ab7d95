// Tables in the dining room of the night boat.
const { sittingFor } = require('./sittings.js');
const { tablesFor } = require('./tables.js');

function handle(_path, body) {
  const people = body.people ?? 2;
  const sitting = sittingFor(body.at);
  if (sitting === null) {
    return { booked: false, why: 'the kitchen is closed' };
  }
  const tables = tablesFor(people, body.window === true);
  if (tables.length === 0) {
    return { booked: false, why: 'no table', sitting: sitting.name };
  }
  const seats = tables.reduce((sum, { seats: count }) => sum + count, 0);
  return {
    booked: true,
    sitting: sitting.name,
    tables: tables.map(({ name }) => name),
    spare: seats - people,
  };
}

module.exports = { handle };
