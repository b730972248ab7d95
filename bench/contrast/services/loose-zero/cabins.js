const CABINS = [
  { number: 'K01', deck: 0, side: 'port' },
  { number: 'K02', deck: 0, side: 'starboard' },
  { number: 'K11', deck: 1, side: 'port' },
  { number: 'K12', deck: 1, side: 'starboard' },
  { number: 'K21', deck: 2, side: 'port' },
];

function cabins() {
  return CABINS;
}

module.exports = { cabins };
