// The bill for the fuel of a day, by boat.
const { boatNamed } = require('./boats');
const { usageOf } = require('./usage');
const { priceAt, discountFor } = require('./prices');

function handle(_path, body) {
  const boat = boatNamed(body.boat);
  if (boat === undefined) {
    return { ok: false, why: 'no such boat' };
  }
  const trips = (body.trips ?? []).map(Number);
  if (trips.some((miles) => !(miles > 0))) {
    return { ok: false, why: 'a trip has a length' };
  }
  const usage = usageOf(boat, trips);
  const bill = billFor(boat, usage, body.port ?? 'Tarrin');
  return {
    ok: true,
    litres: usage.litres,
    reserve: usage.reserve,
    cents: bill.cents,
    note: noteOn(usage, boat),
  };
}

function billFor(_boat, usage, port) {
  const price = priceAt(port);
  const gross = usage.litres * price;
  const discount = discountFor(usage.litres);
  const net = gross - gross * discount;
  return { cents: Math.round(net * 100), discount };
}

function noteOn(usage, boat) {
  if (usage.litres + usage.reserve > boat.tank) {
    return 'fill up on the way';
  }
  return usage.trips > 4 ? 'many trips' : null;
}

module.exports = { handle };
