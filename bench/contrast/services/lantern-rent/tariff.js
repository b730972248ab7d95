const STEPS = [
  { from: 10, each: 2 },
  { from: 4, each: 3 },
  { from: 1, each: 4 },
];

exports.eachFor = (count) => {
  const step = STEPS.find(({ from }) => count >= from);
  return step.each;
};
