const CREWS = [
  { name: 'sun', crew: ['Tove', 'Lars'], pause: 0 },
  { name: 'mon', crew: ['Ada', 'Jon'], pause: 1 },
  { name: 'tue', crew: ['Ada', 'Ines'], pause: 1 },
  { name: 'wed', crew: ['Jon', 'Ines'], pause: 1 },
  { name: 'thu', crew: ['Ada', 'Jon'], pause: 1 },
  { name: 'fri', crew: ['Tove', 'Ines'], pause: 1 },
  { name: 'sat', crew: ['Lars', 'Tove'], pause: 0 },
];

exports.weekOf = (boat) => ({ boat, days: CREWS });

/** Days are counted from monday (1) to sunday (7). */
exports.dayOf = (week, number) => {
  const day = week.days[number];
  return { crew: [], pause: 0, ...day };
};
