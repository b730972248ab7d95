const SIGNS = { EUR: '€', DKK: 'kr.', NOK: 'kr' };

exports.shown = (value, target) => {
  const sign = SIGNS[target];
  const text = value.toFixed(2);
  return target === 'EUR' ? `${sign}${text}` : `${text} ${sign}`;
};
