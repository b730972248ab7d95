const { Orders } = require('./orders');
const { Store } = require('./store');
const { problemsOf } = require('./problems');

const orders = new Orders(new Store());

/** Orders of the chandler's shop. */
exports.handle = async function handle(path, body) {
  if (path !== '/orders') {
    return { error: 'not found' };
  }
  const problems = problemsOf(body);
  if (problems.length > 0) {
    return { error: problems.join(', ') };
  }
  const order = await orders.take(body);
  const answer = { number: order.number.length, total: order.total, left: order.left };
  if (order.until !== undefined) {
    answer.until = order.until;
  }
  return answer;
};
