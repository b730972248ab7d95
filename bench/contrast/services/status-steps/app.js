// What becomes of a booking when something happens.
const { bookingOf } = require('./bookings');
const { next } = require('./machine');
const { mailFor } = require('./mails');

function handle(_path, body) {
  const booking = bookingOf(body.id);
  if (booking === undefined) {
    return { ok: false, why: 'no such booking' };
  }
  const result = next(booking, body.event);
  if (result === null) {
    return { ok: false, why: 'nothing like that can happen' };
  }
  const mail = mailFor(result.state, booking.name, body.note);
  return {
    ok: true,
    state: result.state,
    fee: result.fee,
    open: booking.total - booking.paid + result.fee,
    mail,
  };
}

module.exports = { handle };
