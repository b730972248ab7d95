const WEEKDAYS = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'];

/** The day where the clock stands that the text was written by. */
exports.weekdayOf = (text) => {
  const moment = new Date(text);
  return WEEKDAYS[moment.getUTCDay()];
};

exports.hourOf = (text) => Number(text.slice(11, 13));
