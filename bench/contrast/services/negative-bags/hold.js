const HOLDS = { Kestrel: 400, Petrel: 150 };

function room(boat) {
  return HOLDS[boat] ?? 0;
}

module.exports = { room };
