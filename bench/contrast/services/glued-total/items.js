const ITEMS = {
  tea: { price: 2.2 },
  bread: { price: 3.4 },
  herring: { price: 6.8, cold: true },
  ice: { price: 3.1, cold: true },
  map: { price: 9.5 },
};

function itemOf(id) {
  const item = ITEMS[id];
  if (item === undefined) {
    throw new Error(`no item ${id}`);
  }
  return item;
}

function discountFor(goods, member) {
  if (!member) {
    return 0;
  }
  return goods > 20 ? goods * 0.1 : goods * 0.05;
}

module.exports = { itemOf, discountFor };
