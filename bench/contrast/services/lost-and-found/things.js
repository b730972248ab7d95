const THINGS = [
  { id: 1, what: 'umbrella', colour: 'black', boat: 'Kestrel', day: 3 },
  { id: 2, what: 'umbrella', colour: 'red', boat: 'Kestrel', day: 9 },
  { id: 3, what: 'bag', colour: 'red', boat: 'Petrel', day: 9 },
  { id: 4, what: 'cap', colour: 'blue', boat: 'Petrel', day: 4 },
];

async function things(boat) {
  await new Promise((done) => setImmediate(done));
  return boat ? THINGS.filter((thing) => thing.boat === boat) : THINGS;
}

module.exports = { things };
