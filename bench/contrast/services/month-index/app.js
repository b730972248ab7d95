// Season tickets: from when to when, and what they cost.
const { parseDay, addMonths, label } = require('./days.js');
const { priceFor } = require('./tickets.js');

function handle(_path, body) {
  const from = parseDay(body.from);
  const months = body.months ?? 1;
  const until = addMonths(from, months);
  const price = priceFor(body.kind ?? 'adult', months);
  return { from: label(from), until: label(until), price };
}

module.exports = { handle };
