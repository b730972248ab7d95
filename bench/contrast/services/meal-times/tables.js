const TABLES = [
  { name: 'T1', seats: 2, window: true },
  { name: 'T2', seats: 4, window: true },
  { name: 'T3', seats: 4, window: false },
  { name: 'T4', seats: 6, window: false },
];

function tablesFor(people, window) {
  const fitting = TABLES.filter((table) => !window || table.window);
  const one = fitting.find((table) => table.seats >= people);
  if (one) {
    return [one];
  }
  const found = [];
  let left = people;
  for (const table of [...fitting].sort((a, b) => b.seats - a.seats)) {
    if (left > 0) {
      found.push(table);
      left -= table.seats;
    }
  }
  return left > 0 ? [] : found;
}

module.exports = { tablesFor };
