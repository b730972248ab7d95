// How cars get onto the boat, one after the other.
const FIRST = 4;
const EACH = 1.5;

function capacityLeft(lane) {
  const left = lane.room - lane.reserved;
  return Math.max(0, left);
}

function fits(lane, position) {
  return position < capacityLeft(lane) - 1;
}

function minutesUntil(lane, position) {
  const slow = lane.cars.length > 3 ? 1 : 0;
  return FIRST + slow + position * EACH;
}

module.exports = { fits, minutesUntil };
