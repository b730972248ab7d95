const NAMES = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const HOLIDAYS = new Set(['2026-06-02', '2026-08-05']);

function weekdayOf(date) {
  return NAMES[new Date(`${date}T00:00:00Z`).getUTCDay()];
}

function isQuiet(date, route) {
  if (HOLIDAYS.has(date)) {
    return false;
  }
  const weekday = weekdayOf(date);
  const days = route.minutes > 50 ? ['Tuesday'] : ['Tuesday', 'Wednesday'];
  return days.includes(weekday);
}

module.exports = { weekdayOf, isQuiet };
