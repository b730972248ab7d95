// What the counter has taken today, and the list of its bookings.
'use strict';

const taken = [];

/** Adds a booking to the list, and its fare to the day's takings. */
function show(booking) {
  const row = document.getElementById('bookings').insertRow();
  for (const text of [booking.id, booking.name, booking.total]) {
    row.insertCell().textContent = text;
  }
  taken.push(booking.total);
  document.getElementById('taken').textContent = sum(taken);
}

function sum(fares) {
  let total = 0;
  for (const fare of fares) {
    total += fare;
  }
  return Number(total).toFixed(2);
}
