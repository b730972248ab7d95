// The crew.
const CREW = [
  { id: 'ada', name: 'Ada Quill', grade: 'master', off: ['sun'], rate: 31 },
  { id: 'bo', name: 'Bo Larch', grade: 'mate', off: [], rate: 26 },
  { id: 'cy', name: 'Cy Marram', grade: 'mate', off: ['sat'], rate: 25 },
  { id: 'dot', name: 'Dot Fell', grade: 'deckhand', off: [], rate: 17 },
];

function named(id) {
  return CREW.find((person) => person.id === id) ?? null;
}

module.exports = { named };
