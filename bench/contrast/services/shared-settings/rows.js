const SAILINGS = [
  { harbour: 'Holm', at: 600, boat: 'Tern' },
  { harbour: 'Holm', at: 480, boat: 'Kestrel' },
  { harbour: 'Holm', at: 720, boat: 'Petrel' },
  { harbour: 'Innish', at: 510, boat: 'Tern' },
];

function rowsFor(harbour, settings) {
  const found = SAILINGS.filter((sailing) => sailing.harbour === harbour);
  const key = settings.sort === 'boat' ? 'boat' : 'at';
  return found.sort((one, other) => (one[key] < other[key] ? -1 : 1));
}

module.exports = { rowsFor };
