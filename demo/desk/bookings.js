// Bookings: who travels, on which sailing, in which cabin, for how much.
'use strict';

const { findCabin, releaseCabin, takeCabin } = require('./cabins');
const { askForPrice, askForSlip, askForSailing } = require('./neighbours');

class BadBooking extends Error {}

const ISLANDS = ['Skerrow', 'Innish', 'Tarrin', 'Holm'];
const BLANK = /^\s*$/g;
const bookings = new Map();
let nextId = 1001;

/** Takes a booking: price, sailing, cabin, boarding slip. */
async function book(wanted, traceparent) {
  const trip = checkTrip(wanted);
  const notices = [];
  const sailing = await askForSailing(trip, traceparent, notices);
  const id = nextId++;
  const cabin = trip.cabin ? findCabin(sailing, trip.travellers) : null;
  const price = await askForPrice(trip, traceparent, notices);
  if (cabin !== null) {
    takeCabin(sailing, cabin, id);
  } else if (trip.cabin) {
    notices.push('no cabin is free on this sailing');
  }
  const booking = { id, name: trip.name, sailing, cabin, total: price.total, lines: price.lines, notices };
  booking.slip = await askForSlip(booking, trip, traceparent, notices);
  bookings.set(id, booking);
  return booking;
}

function checkTrip(wanted) {
  const { name = '', from, to, on = '2026-05-01', passengers = { adult: 1 } } = wanted;
  if (!ISLANDS.includes(from) || !ISLANDS.includes(to) || from === to) {
    throw new BadBooking(`from and to must be two of ${ISLANDS.join(', ')}`);
  }
  if (BLANK.test(name)) {
    throw new BadBooking('a booking needs the name of a passenger');
  }
  const travellers = Object.values(passengers).reduce((sum, number) => sum + number, 0);
  return {
    name: name.trim(),
    from,
    to,
    on,
    passengers,
    travellers,
    vehicle: wanted.vehicle ?? '',
    return: wanted.return === true,
    cabin: wanted.cabin === true,
  };
}

function findBooking(id) {
  return bookings.get(id);
}

function cancel(id) {
  const booking = bookings.get(id);
  if (booking?.cabin) {
    releaseCabin(booking.sailing, booking.cabin);
  }
  return bookings.delete(id);
}

module.exports = { BadBooking, book, cancel, findBooking };
