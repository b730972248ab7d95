const SHALLOW = 2;

exports.warningsFor = (depths) => {
  const warnings = [];
  depths.forEach((depth, at) => {
    if (depth < SHALLOW) {
      warnings.push(`shallow at ${at + 1}`);
    }
  });
  return warnings;
};
