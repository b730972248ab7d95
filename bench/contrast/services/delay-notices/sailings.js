// Sailings, and who is on them.
const SAILINGS = {
  K1: { id: 'K1', leaves: '07:10', boat: 'Kestrel' },
  K3: { id: 'K3', leaves: '11:40', boat: 'Kestrel' },
  P9: { id: 'P9', leaves: '18:05', boat: 'Petrel' },
};
const PEOPLE = {
  K1: [
    { name: 'Ada Quill', phone: '+1' },
    { name: 'Bo Larch', phone: '+2' },
    { name: 'Cy Marram', phone: '+4' },
  ],
  K3: [{ name: 'Dot Fell', phone: '+3' }],
};

function sailing(id) {
  return SAILINGS[id];
}

async function passengersOf(id) {
  return PEOPLE[id] ?? [];
}

module.exports = { sailing, passengersOf };
