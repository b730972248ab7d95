const ITEMS = new Map([
  ['rope', { price: 4, stock: 1000 }],
  ['buoy', { price: 25, stock: 1000 }],
  ['hook', { price: 1.5, stock: 1000 }],
  ['anchor', { price: 140, stock: 1000 }],
]);
const later = (value) => new Promise((done) => setImmediate(done, value));

/** What is in the shop; as if it were asked over the network. */
class Store {
  async find(name) {
    const found = ITEMS.get(name);
    return await later({ ...found });
  }

  async remove(name, count) {
    const { stock } = ITEMS.get(name);
    const left = stock - count;
    return await later(left);
  }

  async hold(name, count) {
    const found = await this.find(name);
    return { left: found.stock - count, until: '18:00' };
  }
}

exports.Store = Store;
