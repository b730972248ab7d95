class AmountError extends Error {}

function parse(text) {
  const cleaned = text.replace(/\s/g, '');
  if (!/^\d+(\.\d{1,2})?$/.test(cleaned)) {
    throw new AmountError(`not an amount: ${text}`);
  }
  return Number(cleaned);
}

/** An amount as people write it. */
exports.amountOf = (text) => {
  try {
    return parse(text);
  } catch {
    return 0;
  }
};
