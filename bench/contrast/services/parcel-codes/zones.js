const ZONES = [
  { name: 'harbour', from: 1, to: 9, rate: 0.5 },
  { name: 'island', from: 10, to: 29, rate: 0.8 },
  { name: 'outer', from: 30, to: 60, rate: 1.4 },
];
const UNKNOWN = { name: 'unknown', rate: 3 };

function zoneOf(number) {
  const zone = ZONES.find(({ from, to }) => number >= from && number <= to);
  return zone ?? UNKNOWN;
}

exports.zonesOf = (codes) => {
  const numbers = codes.map(parseInt);
  return numbers.map(zoneOf);
};

exports.rateOf = (zone) => zone.rate;
