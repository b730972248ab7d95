function score(thing, asked) {
  let points = 0;
  if (thing.what === asked.what) {
    points += 2;
  }
  if (asked.colour && thing.colour === asked.colour) {
    points += 1;
  }
  if (asked.day !== undefined) {
    const apart = asked.day - thing.day;
    if (apart <= 1) {
      points += 1;
    }
  }
  return points;
}

module.exports = { score };
