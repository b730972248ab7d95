// Ways to a better seat, the cheapest first.
const WAYS = [
  { from: 'deck', seat: 'saloon', points: 100, pay: 0 },
  { from: 'deck', seat: 'saloon', points: 0, pay: 12 },
  { from: 'deck', seat: 'lounge', points: 250, pay: 0 },
  { from: 'saloon', seat: 'lounge', points: 100, pay: 8 },
  { from: 'saloon', seat: 'lounge', points: 200, pay: 0 },
  { from: 'saloon', seat: 'lounge', points: 0, pay: 18 },
];
const POINT = 0.1;

function cheapestWay(wish, seat) {
  const possible = WAYS.filter((way) => way.from === seat)
    .filter((way) => wish.seat === null || way.seat === wish.seat)
    .filter((way) => way.points <= wish.points && way.pay <= wish.pay);
  if (possible.length === 0) {
    return null;
  }
  return possible.reduce((best, way) => (worth(way) < worth(best) ? way : best));
}

function worth(way) {
  return way.points * POINT + way.pay;
}

module.exports = { cheapestWay };
