const { Tour } = require('./tour');
const { weekdayOf, hourOf } = require('./calendar');

/** Tours of the harbour, by the clock of those who ask. */
exports.handle = (path, body) => {
  if (path !== '/tours') {
    return { error: 'no tours' };
  }
  const weekday = weekdayOf(body.at);
  const hour = hourOf(body.at);
  const tour = new Tour(weekday, body.guests ?? 1);
  return {
    weekday,
    hour,
    guide: tour.guide(),
    price: tour.price(),
    isOpen: tour.isOpen(hour),
  };
};
