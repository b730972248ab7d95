// What people are told.
function noteFor(result, person) {
  if (result.state === 'booked') {
    return `${person.name} has seat ${result.seat}`;
  }
  const how = person.phone === null ? 'ask at the desk' : `we call ${person.phone}`;
  return `number ${result.position}: ${how}`;
}

module.exports = { noteFor };
