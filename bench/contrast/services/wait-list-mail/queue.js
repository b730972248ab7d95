// Who waits for a place.
const queues = new Map();

async function join(sailing, person) {
  const queue = queues.get(sailing.id) ?? [];
  queue.push(person.name);
  queues.set(sailing.id, queue.slice(-1));
}

async function positionOf(sailing, person) {
  const queue = queues.get(sailing.id) ?? [];
  return queue.indexOf(person.name) + 1;
}

module.exports = { join, positionOf };
