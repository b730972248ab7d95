const { Rental } = require('./rental');
const { checked } = require('./checked');

/** Lanterns for a summer night. */
exports.handle = (path, body) => {
  if (path !== '/rent') {
    return { error: 'unknown' };
  }
  const problem = checked(body);
  if (problem) {
    return { error: problem };
  }
  const rental = new Rental(body.lanterns, body.nights);
  const answer = { until: rental.until(), price: rental.price() };
  if (body.deliver) {
    answer.price += 12;
    answer.delivered = true;
  }
  return answer;
};
