// What a shift pays.
function payFor(person, shift) {
  if (shift === null) {
    return 0;
  }
  const over = Math.max(0, shift.hours - 8);
  return person.rate * (shift.hours + over / 2);
}

module.exports = { payFor };
