const { isChild } = require('./people.js');

function checkParty(trip, party) {
  const problems = [];
  if (party.length === 0) {
    problems.push('nobody travels');
  }
  if (trip.night && party.some(isChild)) {
    problems.push('no children at night');
  }
  for (const { name } of party) {
    if (!name) {
      problems.push('a name is missing');
    }
  }
  return problems;
}

module.exports = { checkParty };
