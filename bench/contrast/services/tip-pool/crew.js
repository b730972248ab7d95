/** Who has worked, and for how many hours; who has not is left out. */
exports.crewOf = (rows) => {
  const crew = [];
  for (const [name, hours] of rows) {
    if (hours > 0) {
      crew.push({ name, hours, weight: Math.min(hours, 8) });
    }
  }
  return crew.sort((one, other) => one.name.localeCompare(other.name));
};
