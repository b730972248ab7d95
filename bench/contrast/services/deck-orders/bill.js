const { priceOf } = require('./kitchen');

/** What has been paid at once: item by item. */
exports.paidBill = async (items) => {
  const bill = { lines: [], total: 0 };
  for (const item of items) {
    const price = await priceOf(item);
    bill.lines.push(item);
    bill.total += price;
  }
  return bill;
};

/** What is paid later. */
exports.openBill = async (items) => {
  const bill = { lines: [], total: 0 };
  items.forEach(async (item) => {
    const price = await priceOf(item);
    bill.lines.push(item);
    bill.total += price;
  });
  return bill;
};
