const { upcoming } = require('./times.js');
const { show } = require('./show.js');

function handle(_path, body) {
  const list = upcoming(body.times, body.after);
  const next = list[0];
  if (next === undefined) {
    return { next: null, later: 0 };
  }
  const later = list.length - 1;
  return { next: show(next), later };
}

module.exports = { handle };
