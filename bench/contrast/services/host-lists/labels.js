const BASE = ['breakfast', 'linen'];

/** What is said of a place to sleep. */
exports.labelsOf = (_host, { pets, named }) => {
  if (named === undefined) {
    return pets ? ['breakfast', 'linen', 'pets'] : ['breakfast', 'linen'];
  }
  const labels = BASE;
  labels.push(`by ${named}`);
  if (pets) {
    labels.push('pets');
  }
  return [...labels];
};
