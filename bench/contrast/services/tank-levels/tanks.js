const TANKS = [
  { name: 'fresh', holds: 1000, pace: 0.9 },
  { name: 'fuel', holds: 900, pace: 1 },
];

exports.tankNamed = (name) => TANKS.find((tank) => tank.name === name);
