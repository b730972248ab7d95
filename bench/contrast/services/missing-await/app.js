const { fareOf, vehicleFare } = require('./fares.js');

async function handle(_path, body) {
  const lines = [];
  for (const kind of body.passengers ?? []) {
    const fare = await fareOf(kind);
    lines.push({ kind, fare });
  }
  if (body.vehicle) {
    const fare = vehicleFare(body.vehicle);
    lines.push({ kind: body.vehicle, fare });
  }
  const total = totalOf(lines);
  return { total, lines: lines.length };
}

function totalOf(lines) {
  let total = 0;
  for (const line of lines) {
    total += Number(line.fare);
  }
  return total;
}

module.exports = { handle };
