// The lanes, and who stands in them.
const LANES = [
  { number: 1, cars: ['AA 11', 'BB 22', 'CC 33', 'FF 66'], room: 5, reserved: 2, next: '12:40' },
  { number: 2, cars: ['DD 44', 'EE 55'], room: 2, reserved: 0, next: '13:10' },
];

function laneOf(number) {
  return LANES.find((lane) => lane.number === number) ?? null;
}

function positionIn(lane, plate) {
  return lane.cars.indexOf(plate);
}

module.exports = { laneOf, positionIn };
