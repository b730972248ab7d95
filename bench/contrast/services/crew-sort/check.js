// Whether the list is one.
const MOST = 20;

function checkPeople(people) {
  if (!Array.isArray(people) || people.length === 0) {
    return 'nobody is there';
  }
  if (people.length > MOST) {
    return 'too many';
  }
  for (const person of people) {
    if (!person.n || !(person.years >= 0)) {
      return 'who, and for how long?';
    }
  }
  return null;
}

module.exports = { checkPeople };
