// Searches for crossings there and back, with the timetable service.
const { crossings } = require('./timetable.js');
const { priceOf } = require('./prices.js');

async function handle(_path, body, headers) {
  const { from, to } = body;
  const there = await crossings(from, to, headers);
  const answer = { there: there.map(label), price: priceOf(from, to, body.people ?? 1) };
  if (body.back === true) {
    const back = await crossings(from, to, headers);
    const last = latest(back);
    answer.back = back.map(label);
    answer.last = last ? last.at : null;
    answer.price *= 1.8;
  }
  answer.price = Math.round(answer.price * 100) / 100;
  return answer;
}

function label(crossing) {
  const at = `${Math.floor(crossing.at / 60)}:${String(crossing.at % 60).padStart(2, '0')}`;
  return `${at} ${crossing.from}-${crossing.to}`;
}

function latest(list) {
  let last = null;
  for (const crossing of list) {
    if (last === null || crossing.at > last.at) {
      last = crossing;
    }
  }
  return last;
}

module.exports = { handle };
