const { cabins } = require('./cabins.js');
const { criteria, fits } = require('./filter.js');

function handle(_path, body) {
  const wanted = criteria(body);
  const found = [];
  for (const cabin of cabins()) {
    if (fits(cabin, wanted)) {
      found.push(cabin.number);
    }
  }
  const beds = count(found);
  return { found, beds };
}

function count(found) {
  return found.length * 2;
}

module.exports = { handle };
