const TAKEN = { north: [10, 11, 12], south: [14, 15] };
const NUMBERS = { north: 4, south: 2 };

const later = (value) => new Promise((done) => setTimeout(() => done(value), 2));

exports.isFree = async (dock, hours) => {
  const taken = await later(TAKEN[dock] ?? []);
  for (const hour of hours) {
    if (taken.includes(hour)) {
      return false;
    }
  }
  return true;
};

exports.numberOf = async (dock) => {
  const number = await later(NUMBERS[dock]);
  return number ?? 0;
};
