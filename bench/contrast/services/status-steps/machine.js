// Events and what they lead to.
const HOLD_FEE = 2;
const LATE_FEE = 7;

function next(booking, event) {
  let state = booking.state;
  let fee = 0;
  switch (event) {
    case 'pay':
      state = 'paid';
      break;
    case 'hold':
      fee += HOLD_FEE;
      state = 'held';
    case 'lapse':
      fee += LATE_FEE;
      break;
    case 'show':
      break;
    default:
      return null;
  }
  return { state, fee };
}

module.exports = { next };
