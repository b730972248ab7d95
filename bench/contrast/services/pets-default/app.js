// A booking with animals: the boat's service says what is possible and what it costs.
const { ask } = require('./boats.js');
const { readParty, heads } = require('./party.js');

async function handle(_path, body, headers) {
  const party = readParty(body);
  const sailing = await ask(
    '/sailings',
    { boat: party.boat, animals: party.animals, window: party.window },
    headers,
  );
  if (sailing.refused) {
    return { booked: false, why: sailing.refused };
  }
  const people = heads(party) * sailing.fare;
  const total = people + sailing.animalFee;
  return {
    booked: true,
    total,
    seat: sailing.seat,
    note: noteFor(sailing, party),
  };
}

function noteFor(sailing, party) {
  const notes = [];
  if (sailing.muzzle) {
    notes.push('muzzle');
  }
  if (party.children > 0) {
    notes.push('children');
  }
  return notes.join(', ');
}

module.exports = { handle };
