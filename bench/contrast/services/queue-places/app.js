// Where a car stands in the queue, and whether it still gets onto the next boat.
const { laneOf, positionIn } = require('./lanes');
const { fits, minutesUntil } = require('./boarding');

function handle(_path, body) {
  const lane = laneOf(body.lane);
  if (lane === null) {
    return { ok: false, why: 'no such lane' };
  }
  const plate = clean(body.plate);
  const position = positionIn(lane, plate);
  if (position < 0) {
    return { ok: false, why: 'not in this lane' };
  }
  const boards = fits(lane, position);
  const answer = { ok: true, plate, ahead: position, boards };
  if (boards) {
    answer.minutes = minutesUntil(lane, position);
  } else {
    answer.next = lane.next;
  }
  return answer;
}

function clean(plate) {
  return String(plate ?? '')
    .trim()
    .toUpperCase()
    .replace(/\s+/g, ' ');
}

module.exports = { handle };
