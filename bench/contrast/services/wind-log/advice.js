const LIMITS = [
  { from: 12, advice: 'stay in the harbour' },
  { from: 9, advice: 'reef the sails' },
  { from: 5, advice: 'good sailing' },
];

exports.adviceFor = (strongest, mean) => {
  const limit = LIMITS.find(({ from }) => strongest >= from);
  const advice = limit ? limit.advice : 'row';
  return mean > 10 ? `${advice}, and watch the sky` : advice;
};
