// A better seat for points, money, or both.
const { ticketOf } = require('./tickets');
const { readWish } = require('./wish');
const { cheapestWay } = require('./ways');

function handle(_path, body) {
  const ticket = ticketOf(body.ticket);
  if (!ticket) {
    return { ok: false, why: 'no such ticket' };
  }
  if (ticket.seat === 'lounge') {
    return { ok: false, why: 'there is none better' };
  }
  const wish = readWish(body, ticket.member);
  const way = cheapestWay(wish, ticket.seat);
  if (way === null) {
    return { ok: false, why: 'not enough', has: wish };
  }
  return {
    ok: true,
    seat: way.seat,
    points: way.points,
    pay: way.pay,
    left: ticket.member.points - way.points,
  };
}

module.exports = { handle };
