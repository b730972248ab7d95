// What is done when a sailing is late: people on it are told, and are offered something.
const { sailing, passengersOf } = require('./sailings');
const { noticesFor, sendAll } = require('./notices');
const { offerFor } = require('./offers');

async function handle(_path, body) {
  const found = sailing(body.sailing);
  if (!found) {
    return { ok: false, why: 'no such sailing' };
  }
  const minutes = Number(body.minutes ?? 0);
  const late = { ...found, minutes, leaves: shifted(found.leaves, minutes) };
  const people = await passengersOf(found.id);
  const notices = noticesFor(late, people);
  const sent = await sendAll(notices);
  const report = summary(sent);
  return {
    ok: true,
    leaves: late.leaves,
    told: report.told,
    failed: report.failed,
    offer: people.length > 0 ? offerFor(minutes) : null,
  };
}

function shifted(time, minutes) {
  const [hours, rest] = time.split(':').map(Number);
  const total = hours * 60 + rest + minutes;
  const pad = (number) => String(number).padStart(2, '0');
  return `${pad(Math.floor(total / 60) % 24)}:${pad(total % 60)}`;
}

function summary(sent) {
  let told = 0;
  let failed = 0;
  for (const one of sent) {
    if (one.ok) {
      told += 1;
    } else {
      failed += 1;
    }
  }
  return { told, failed };
}

module.exports = { handle };
