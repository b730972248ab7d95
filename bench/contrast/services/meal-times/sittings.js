const SITTINGS = [
  { name: 'early', from: '18:00', to: '19:30' },
  { name: 'late', from: '20:00', to: '21:30' },
  { name: 'breakfast', from: '7:00', to: '9:30' },
];

function sittingFor(at) {
  for (const sitting of SITTINGS) {
    const begun = at >= sitting.from;
    const over = at > sitting.to;
    if (begun && !over) {
      return sitting;
    }
  }
  return null;
}

module.exports = { sittingFor };
