function upcoming(times, after) {
  const sorted = [...times].sort();
  const left = [];
  for (const time of sorted) {
    const number = Number(time);
    if (number > after) {
      left.push(number);
    }
  }
  return left;
}

module.exports = { upcoming };
