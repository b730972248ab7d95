// A bill of the harbour shop, with what is delivered to the cabin.
const { itemOf, discountFor } = require('./items.js');
const { deliveryFor } = require('./delivery.js');

function handle(_path, body) {
  const lines = body.items.map(({ id, count }) => lineFor(id, count ?? 1));
  const goods = sum(lines);
  const discount = discountFor(goods, body.member === true);
  const delivery = deliveryFor(body.cabin, lines);
  const total = finish(goods - discount, delivery);
  return { lines, discount, delivery, total, words: words(total) };
}

function lineFor(id, count) {
  const item = itemOf(id);
  const price = item.price * count;
  return { id, count, price: Math.round(price * 100) / 100, cold: item.cold === true };
}

function sum(lines) {
  let total = 0;
  for (const { price } of lines) {
    total += price;
  }
  return total;
}

function finish(goods, delivery) {
  let total = goods;
  if (delivery.fee) {
    total += delivery.fee;
  }
  return Number(total);
}

function words(total) {
  const whole = Math.floor(total);
  const cents = Math.round((total - whole) * 100);
  return cents === 0 ? `${whole} crowns` : `${whole} crowns ${cents}`;
}

module.exports = { handle };
