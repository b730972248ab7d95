const BOATS = {
  kestrel: { name: 'Kestrel', harbour: 'Skerrow' },
  petrel: { name: 'Petrel', harbour: 'Holm' },
};

function boatOf(name) {
  const boat = BOATS[String(name).toLowerCase()];
  if (boat === undefined) {
    throw new Error(`no boat ${name}`);
  }
  return boat;
}

function passengersOf(boat, names) {
  return names.map((given) => {
    const child = given.endsWith('*');
    const name = child ? given.slice(0, -1).trim() : given.trim();
    return { name, child, harbour: boat.harbour };
  });
}

module.exports = { boatOf, passengersOf };
