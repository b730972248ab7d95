// Whether two may exchange: each must be able to do what the other has.
const shifts = require('./shifts');

const GRADES = ['deckhand', 'bosun', 'mate', 'master'];

function canDo(person, shift, day) {
  if (shift === null) {
    return true;
  }
  if (person.off.includes(day)) {
    return false;
  }
  return GRADES.indexOf(person.grade) >= GRADES.indexOf(shift.needs);
}

function decide(a, b, day) {
  const first = canDo(a, shifts.of(b, day), day);
  const second = canDo(a, shifts.of(a, day), day);
  if (!first) {
    return { ok: false, why: `${a.name} can not do that shift` };
  }
  if (!second) {
    return { ok: false, why: `${b.name} can not do that shift` };
  }
  return { ok: true, why: null };
}

module.exports = { decide };
