function show(time) {
  const hours = Math.floor(time / 100);
  const minutes = time % 100;
  const padded = `${minutes}`.padStart(2, '0');
  return `${hours}:${padded}`;
}

module.exports = { show };
