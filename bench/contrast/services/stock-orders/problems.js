const KNOWN = ['rope', 'buoy', 'hook', 'anchor'];

exports.problemsOf = function problemsOf({ item, count }) {
  const problems = [];
  if (!KNOWN.includes(item)) {
    problems.push(`no ${item}`);
  }
  if (!Number.isInteger(count) || count < 1) {
    problems.push('how many?');
  }
  return problems;
};
