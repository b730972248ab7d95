// What the desk answers: POST /bookings, GET /bookings/ID.
'use strict';

const { BadBooking, book, findBooking } = require('./bookings');

/** The status and body for a request. */
async function answer(request, text) {
  const { pathname } = new URL(request.url, 'http://desk');
  try {
    if (request.method === 'POST' && pathname === '/bookings') {
      const booking = await book(readJson(text), request.headers.traceparent);
      return { status: 201, body: booking };
    }
    const [, id] = /^\/bookings\/(\d+)$/.exec(pathname) ?? [];
    if (request.method === 'GET' && id !== undefined) {
      const booking = findBooking(Number(id));
      return booking ? { status: 200, body: booking } : { status: 404, body: { error: `there is no booking ${id}` } };
    }
    return { status: 404, body: { error: 'the desk takes POST /bookings and GET /bookings/ID' } };
  } catch (error) {
    if (error instanceof BadBooking) {
      return { status: 400, body: { error: error.message } };
    }
    throw error;
  }
}

function readJson(text) {
  try {
    return JSON.parse(text);
  } catch {
    throw new BadBooking('the body is not JSON');
  }
}

module.exports = { answer };
