const { dayOf, weekOf } = require('./calendar');
const { shiftsFor } = require('./shifts');

/** The plan of a day: who is on which boat. */
exports.handle = (path, body) => {
  if (path !== '/plan') {
    return { error: 'no plan' };
  }
  const [from, to] = body.hours;
  if (from >= to) {
    return { error: 'from when to when?' };
  }
  const week = weekOf(body.boat ?? 'Skua');
  const day = dayOf(week, body.day);
  const shifts = shiftsFor(day, from, to);
  return {
    boat: week.boat,
    shifts: shifts.map(({ who, hours }) => `${who} ${hours} h`),
    hours: shifts.reduce((sum, { hours }) => sum + hours, 0),
  };
};
