// The other services of the office. The desk works without them, and says in its notices what is missing.
'use strict';

const { randomBytes } = require('node:crypto');
const { readFileSync } = require('node:fs');
const { join } = require('node:path');

const TIMETABLE = readFileSync(join(__dirname, '..', 'data', 'timetable.csv'), 'utf8')
  .trim()
  .split('\n')
  .slice(1)
  .map((row) => row.split(','));

/** The price of a trip, from the fares service. */
async function askForPrice(trip, traceparent, notices) {
  const { from, to, passengers, vehicle } = trip;
  const body = { from, to, passengers, vehicle, return: trip.return };
  const quote = await ask('FARES_URL', '/quotes', traceparent, notices, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  });
  return quote ?? { total: null, lines: [] };
}

/** The first sailing of the day, from the tides service; without it the printed timetable's. */
async function askForSailing(trip, traceparent, notices) {
  const query = new URLSearchParams({ from: trip.from, to: trip.to, on: trip.on });
  const answer = await ask('TIDES_URL', `/sailings?${query}`, traceparent, notices);
  const sailing = answer?.sailings?.[0];
  if (sailing !== undefined) {
    return { leaves: sailing.leaves, boat: sailing.boat };
  }
  const [, , time, boat] = TIMETABLE.find(([from, to]) => from === trip.from && to === trip.to) ?? [];
  return { leaves: `${trip.on} ${time}`, boat };
}

/** The number of the boarding slip, from the slips service. */
async function askForSlip(booking, trip, traceparent, notices) {
  const form = new URLSearchParams({
    booking: String(booking.id),
    name: booking.name,
    travellers: String(trip.travellers),
    vehicle: trip.vehicle,
  });
  const slip = await ask('SLIPS_URL', '/slips', traceparent, notices, { method: 'POST', body: form });
  return slip?.id ?? null;
}

/** One call; passes the trace on with a span of its own. Null, and a notice, when nobody answers. */
async function ask(variable, path, traceparent, notices, options = {}) {
  const name = variable.replace('_URL', '').toLowerCase();
  const base = process.env[variable];
  if (!base) {
    notices.push(`the ${name} service is not there`);
    return null;
  }
  try {
    const headers = { ...options.headers, ...(traceparent ? { traceparent: child(traceparent) } : {}) };
    const response = await fetch(base + path, { ...options, headers });
    if (!response.ok) {
      notices.push(`the ${name} service answered ${response.status}`);
      return null;
    }
    return await response.json();
  } catch {
    notices.push(`the ${name} service does not answer`);
    return null;
  }
}

/** The same trace with a new parent (W3C Trace Context, 3.2.2). */
function child(traceparent) {
  const [version, trace, , flags] = traceparent.split('-');
  return [version, trace, randomBytes(8).toString('hex'), flags].join('-');
}

module.exports = { askForPrice, askForSailing, askForSlip };
