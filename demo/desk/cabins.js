// Which cabins of a sailing are taken. The list of every boat's cabins is demo/data/cabins.csv.
'use strict';

const { readFileSync } = require('node:fs');
const { join } = require('node:path');

const FILE = join(__dirname, '..', 'data', 'cabins.csv');

const cabinsOfBoat = new Map();
for (const row of readFileSync(FILE, 'utf8').trim().split('\n').slice(1)) {
  const [boat, cabin, berths] = row.split(',');
  cabinsOfBoat.set(boat, [...(cabinsOfBoat.get(boat) ?? []), { cabin, berths: Number(berths) }]);
}

const takenOn = new Map();

/** The first free cabin of a sailing with berths for everybody; null when there is none. */
function findCabin(sailing, travellers) {
  const taken = takenFor(sailing);
  const cabins = cabinsOfBoat.get(sailing.boat) ?? [];
  return cabins.find(({ cabin, berths }) => berths >= travellers && !taken.has(cabin))?.cabin ?? null;
}

function takeCabin(sailing, cabin, bookingId) {
  takenFor(sailing).set(cabin, bookingId);
}

function releaseCabin(sailing, cabin) {
  takenFor(sailing).delete(cabin);
}

function takenFor(sailing) {
  const key = `${sailing.boat} ${sailing.leaves}`;
  if (!takenOn.has(key)) {
    takenOn.set(key, new Map());
  }
  return takenOn.get(key);
}

module.exports = { findCabin, releaseCabin, takeCabin };
