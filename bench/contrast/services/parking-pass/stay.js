// How long a car stays: the days that are booked, and those that were added at the machine.
const MOST = 60;

function stayOf(body) {
  const first = body.days ?? 1;
  const more = body.extra ?? 0;
  const days = first + more;
  if (!(days > 0)) {
    return { problem: 'how many days?' };
  }
  if (days > MOST) {
    return { problem: 'not for so long' };
  }
  return { days, covered: body.covered === true };
}

module.exports = { stayOf };
