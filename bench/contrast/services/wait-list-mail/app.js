// A place on a sailing, or one in the queue for it.
const { sailingOf, hasRoom, take } = require('./sailings');
const { join, positionOf } = require('./queue');
const { noteFor } = require('./notes');

async function handle(_path, body) {
  const sailing = await sailingOf(body.sailing);
  if (!sailing) {
    return { ok: false, why: 'no such sailing' };
  }
  const person = { name: body.name, phone: body.phone ?? null };
  const result = await placeFor(sailing, person);
  return {
    ok: true,
    ...result,
    note: noteFor(result, person),
  };
}

async function placeFor(sailing, person) {
  if (hasRoom(sailing)) {
    const seat = await take(sailing, person);
    return { state: 'booked', seat };
  }
  await join(sailing, person);
  const position = await positionOf(sailing, person);
  return { state: 'waiting', position };
}

module.exports = { handle };
