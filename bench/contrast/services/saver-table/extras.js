const EXTRAS = { bicycle: 4, dog: 3, cabin: 20 };

function extrasFor(names, route) {
  return names.map((name) => {
    let price = EXTRAS[name] ?? 0;
    if (name === 'cabin' && route.minutes < 45) {
      price /= 2;
    }
    return { name, price };
  });
}

module.exports = { extrasFor };
