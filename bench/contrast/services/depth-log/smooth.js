/** The mean of each value and those before it, `window` in all. */
exports.smooth = (values, window) => {
  const means = [];
  for (let index = 0; index < values.length; index += 1) {
    const from = Math.max(0, index - window + 1);
    const part = values.slice(from, index);
    const all = part.length > 0 ? part : [values[index]];
    const sum = all.reduce((total, value) => total + value, 0);
    means.push(Math.round((sum / all.length) * 10) / 10);
  }
  return means;
};
