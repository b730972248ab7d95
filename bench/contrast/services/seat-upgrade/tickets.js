// Tickets, and the members whose they are.
const MEMBERS = {
  ada: { name: 'Ada Quill', points: 320 },
  bo: { name: 'Bo Larch', points: 210 },
};
const TICKETS = {
  A1: { seat: 'deck', member: MEMBERS.ada },
  B2: { seat: 'saloon', member: MEMBERS.bo },
  C3: { seat: 'lounge', member: MEMBERS.bo },
};

function ticketOf(number) {
  return TICKETS[number];
}

module.exports = { ticketOf };
