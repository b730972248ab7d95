const TABLES = ['bow', 'bow left', 'bow right', 'mid', 'mid left', 'mid right', 'stern'];

exports.tableOf = (number) => {
  const name = TABLES[number - 1];
  return name === undefined ? undefined : { number, name };
};
