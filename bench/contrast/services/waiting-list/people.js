function describe(given) {
  const person = typeof given === 'string' ? { name: given } : { ...given };
  person.age = person.age ?? 30;
  return person;
}

function isChild(person) {
  return person.age < 12;
}

module.exports = { describe, isChild };
