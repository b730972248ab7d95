// How much fuel trips take.

function usageOf(boat, trips) {
  let litres = 0;
  let longest = 0;
  for (const miles of trips) {
    litres += Math.round(miles * boat.perMile);
    if (miles > longest) {
      longest = miles;
    }
  }
  return { litres, trips: trips.length, reserve: reserveFor(boat, longest) };
}

function reserveFor(boat, longest) {
  const half = (longest * boat.perMile) / 2;
  return Math.max(boat.least, Math.ceil(half));
}

module.exports = { usageOf, reserveFor };
