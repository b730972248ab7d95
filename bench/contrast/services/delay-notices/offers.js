// What those get who have to wait.
const STEPS = [
  { from: 90, what: 'a free crossing' },
  { from: 45, what: 'half the fare' },
  { from: 15, what: 'coffee' },
];

function offerFor(minutes) {
  const step = STEPS.find(({ from }) => minutes >= from);
  return step ? step.what : null;
}

module.exports = { offerFor };
