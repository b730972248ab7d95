const CODES = {
  SPRING: { kind: 'percent', value: 10, message: 'welcome back' },
  GROUP: { kind: 'each', value: 4, from: 10, message: 'good to have you all' },
  CREW: { kind: 'percent', value: 50, message: 'one of us' },
};

/** What a code stands for; undefined where none was given. */
exports.entryOf = (text) => {
  const code = (text ?? '').trim();
  if (code === '') {
    return undefined;
  }
  const entry = CODES[code];
  return entry;
};
