const EMPTY = 4;
const ICE = 15;
const TRUCKS = [
  { name: 'small', most: 150, cost: 60 },
  { name: 'large', most: 400, cost: 110 },
];

exports.loadOf = (order, crates) => {
  let load = order.weight + crates * EMPTY;
  if (order.ice) {
    load += ICE;
  }
  return load;
};

exports.trucksFor = (load) => {
  const truck = TRUCKS.find(({ most }) => load <= most);
  return truck ? [truck] : [TRUCKS[1], TRUCKS[0]];
};
