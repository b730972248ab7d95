const QUAYS = [
  { name: 'north', depth: 4.1, range: 1.1 },
  { name: 'south', depth: 4.6, range: 1.3 },
];

exports.quayOf = (name) => QUAYS.find((quay) => quay.name === name);
