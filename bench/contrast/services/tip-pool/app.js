const { sharesOf } = require('./shares');
const { crewOf } = require('./crew');
const { statement } = require('./statement');

/** The tips of an evening, shared by the hours that each has worked. */
exports.handle = (path, body) => {
  if (!path.startsWith('/tips')) {
    return { error: 'no such thing' };
  }
  const crew = crewOf(body.crew ?? []);
  if (crew.length === 0) {
    return { error: 'nobody has worked' };
  }
  const pool = { total: body.total, crew, keepsBox: body.box === true };
  const shares = sharesOf(pool);
  const lines = statement(shares);
  const paid = shares.reduce((sum, { cents }) => sum + cents, 0);
  return { lines, paid: paid / 100, left: Math.round(body.total * 100 - paid) };
};
