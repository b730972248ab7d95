const REASONS = { ill: 'Get well soon', rain: 'The sun will come back' };

exports.letterFor = (name, reason) => {
  const wish = REASONS[reason] ?? 'Until next time';
  return `Dear ${name}, you are off the list. ${wish}!`;
};
