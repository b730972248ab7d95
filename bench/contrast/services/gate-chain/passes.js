const PASSES = new Map([
  ['g-1', { name: 'Tove', kind: 'guest' }],
  ['g-3', { name: 'Lars', kind: 'guest' }],
  ['c-2', { name: 'Ada', kind: 'crew' }],
  ['c-4', { name: 'Jon', kind: 'crew' }],
]);

exports.holderOf = (pass) => {
  const found = PASSES.get(pass);
  return found;
};
