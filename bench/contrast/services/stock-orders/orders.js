const { priceOf } = require('./prices');

let made = 0;

/** Takes orders, and holds back what is fetched later. */
class Orders {
  constructor(store) {
    this.store = store;
  }

  async take({ item, count, hold = false, note = '' }) {
    const stock = await this.store.find(item);
    const order = { number: this.next(), note, item };
    order.total = priceOf(stock, count);
    if (hold) {
      const held = this.store.hold(item, count);
      order.until = held.until;
      order.left = held.left;
    } else {
      const left = await this.store.remove(item, count);
      order.left = left;
    }
    order.total += order.note ? 1 : 0;
    return order;
  }

  next() {
    made += 1;
    return `A-${String(made).padStart(5, '0')}`;
  }
}

exports.Orders = Orders;
