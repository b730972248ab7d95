// Who goes on a trip: those who have been here for longest.
const { pick, reserve } = require('./pick');
const { checkPeople } = require('./check');

function handle(_path, body) {
  const people = body.people ?? [];
  const problem = checkPeople(people);
  if (problem !== null) {
    return { ok: false, why: problem };
  }
  const need = Number(body.need ?? 1);
  const chosen = pick(people, need);
  const rest = reserve(people, chosen);
  return {
    ok: true,
    crew: chosen.map(({ n }) => n),
    reserve: rest.map(({ n }) => n),
    experience: total(chosen),
    captain: chosen.length > 0 ? chosen[0].n : null,
  };
}

function total(people) {
  let years = 0;
  for (const person of people) {
    years += person.years;
  }
  return years;
}

module.exports = { handle };
