const SHIPS = {
  Ebb: { empty: 2.1, each: 0.15, usual: 4 },
  Tern: { empty: 2.6, each: 0.2, usual: 5 },
  Skua: { empty: 1.4, each: 0.1, usual: 2 },
};

/** How deep a ship lies in the water; `load` in tens of tons, else what it usually has. */
exports.draughtOf = (name, options) => {
  const ship = SHIPS[name];
  const load = options.load || ship.usual;
  let draught = ship.empty + load * ship.each;
  if (options.pilot) {
    draught += 0.05;
  }
  return Math.round(draught * 100) / 100;
};
