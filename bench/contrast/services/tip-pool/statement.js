const WIDTH = 8;

/** The lines that hang on the wall. */
exports.statement = (shares) => {
  const most = Math.max(...shares.map(({ cents }) => cents));
  return shares.map(({ name, cents }) => {
    const amount = (cents / 100).toFixed(2);
    const mark = cents === most ? '*' : '';
    return `${name.padEnd(WIDTH)}${amount}${mark}`;
  });
};
