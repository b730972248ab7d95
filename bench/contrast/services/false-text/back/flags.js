// Boxes of forms: absent, or what the form has sent.
function flag(value) {
  if (value === undefined || value === null) {
    return false;
  }
  const ticked = Boolean(value);
  return ticked;
}

module.exports = { flag };
