// What the boats use for a mile, and what they hold.
const BOATS = {
  Kestrel: { perMile: 5.4, tank: 900, least: 50 },
  Petrel: { perMile: 2.2, tank: 300, least: 20 },
};

function boatNamed(name) {
  return BOATS[name];
}

module.exports = { boatNamed };
