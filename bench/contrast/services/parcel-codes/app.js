const { zonesOf, rateOf } = require('./zones');
const { surcharges } = require('./surcharges');

const BASE = 5;

function check(body) {
  if (!Array.isArray(body.codes)) {
    return 'codes of the parcels?';
  }
  if (!(body.weight > 0)) {
    return 'weight?';
  }
  return undefined;
}

/** Freight of parcels by their zones. */
exports.handle = (path, body) => {
  if (path !== '/parcels') {
    return { error: 'no parcels here' };
  }
  const trouble = check(body);
  if (trouble) {
    return { error: trouble };
  }
  const zones = zonesOf(body.codes);
  let freight = BASE;
  for (const zone of zones) {
    const rate = rateOf(zone);
    freight += rate * body.weight;
  }
  const extra = surcharges(body, zones.length);
  const total = freight + extra.reduce((sum, { amount }) => sum + amount, 0);
  return {
    zones: zones.map((zone) => zone.name),
    freight: Math.round(freight * 100) / 100,
    extra: extra.map(({ name }) => name),
    total: Math.round(total * 100) / 100,
  };
};
