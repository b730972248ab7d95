const MOST = 5;
const LISTS = {
  morning: ['Ada', 'Tove', 'Lars'],
  noon: ['Olaf', 'Ines'],
  evening: ['Jon', 'Ada', 'Ines', 'Tove'],
  night: ['Lars', 'Olaf'],
  late: ['Ada', 'Jon', 'Olaf'],
};

exports.leave = (list, name) => {
  const names = [...LISTS[list]];
  const at = names.indexOf(name);
  const [gone] = names.splice(at, 1);
  return { names, gone };
};

exports.placesLeft = (names) => {
  const left = MOST - names.length;
  return Math.max(left, 0);
};
