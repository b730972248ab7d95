// Bookings of today.
const BOOKINGS = {
  B1: { name: 'Ada', state: 'open', total: 40, paid: 0 },
  B2: { name: 'Bo', state: 'paid', total: 25, paid: 25 },
  B3: { name: 'Cy', state: 'open', total: 61, paid: 10 },
};

function bookingOf(id) {
  return BOOKINGS[id];
}

module.exports = { bookingOf };
