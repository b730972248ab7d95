// Places on the waiting list of a sailing that is full.
const { sailing, addWaiting } = require('./store.js');
const { describe, isChild } = require('./people.js');
const { checkParty } = require('./checks.js');

async function handle(_path, body) {
  const trip = await sailing(body.sailing);
  const party = (body.party ?? []).map(describe);
  const problems = checkParty(trip, party);
  if (problems.length > 0) {
    return { accepted: false, problems };
  }
  const free = trip.places - trip.booked;
  if (free >= party.length) {
    return { accepted: true, waiting: false, places: party.length };
  }
  const position = await enlist(trip, party);
  const chance = chanceOf(position, trip);
  return { accepted: true, waiting: true, position, chance, children: party.filter(isChild).length };
}

async function enlist(trip, party) {
  const before = trip.waiting.length;
  let last = before;
  party.forEach(async (person) => {
    last = await addWaiting(trip, person);
  });
  return last + 1;
}

function chanceOf(position, trip) {
  const usual = trip.usuallyGivenBack ?? 3;
  if (position <= usual) {
    return 'good';
  }
  if (position <= usual * 2) {
    return 'fair';
  }
  return 'poor';
}

module.exports = { handle };
