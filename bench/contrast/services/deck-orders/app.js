const { openBill, paidBill } = require('./bill');
const { tableOf } = require('./tables');

/** Orders from the tables on deck. */
exports.handle = async (path, body) => {
  if (path !== '/orders') {
    return { error: 'nothing here' };
  }
  const table = tableOf(body.table);
  if (table === undefined) {
    return { error: `no table ${body.table}` };
  }
  const items = body.items.map((item) => item.toLowerCase());
  const bill = body.paid ? await paidBill(items) : await openBill(items);
  return {
    table: table.name,
    total: bill.total,
    lines: bill.lines.length,
    note: body.note ?? '',
  };
};
