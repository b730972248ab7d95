// Two of the crew exchange a shift.
const crew = require('./crew');
const shifts = require('./shifts');
const { decide } = require('./swaps');
const { payFor } = require('./pay');

function handle(_path, body) {
  const a = crew.named(body.a);
  const b = crew.named(body.b);
  if (a === null || b === null) {
    return { ok: false, why: 'not of the crew' };
  }
  if (!shifts.DAYS.includes(body.day)) {
    return { ok: false, why: 'no such day' };
  }
  const decision = decide(a, b, body.day);
  const answer = { ok: decision.ok, why: decision.why };
  if (decision.ok) {
    answer.pay = {
      [a.id]: payFor(a, shifts.of(b, body.day)),
      [b.id]: payFor(b, shifts.of(a, body.day)),
    };
  }
  return answer;
}

module.exports = { handle };
