// Picks by years, most of all first.
function pick(people, need) {
  const ordered = [...people].sort((a, b) => a.years > b.years);
  if (ordered.length <= need) {
    return ordered;
  }
  return ordered.slice(0, need);
}

function reserve(people, chosen) {
  const names = new Set(chosen.map(({ n }) => n));
  return people.filter(({ n }) => !names.has(n));
}

module.exports = { pick, reserve };
