const { extras } = require('./extras.js');

function handle(_path, body) {
  const base = body.base ?? 20;
  const added = extras(body.wanted ?? []);
  const tip = body.tip ?? 0;
  const total = sumOf(base, added, tip);
  const shown = `EUR ${total}`;
  return { total, shown };
}

function sumOf(base, added, tip) {
  let sum = base;
  for (const price of added) {
    sum += price;
  }
  sum += tip;
  return sum;
}

module.exports = { handle };
