const ALLOWANCES = { full: { weight: 30 }, saver: { weight: 12 }, crew: { weight: 60 } };

function allowanceOf(fare) {
  return ALLOWANCES[fare] ?? ALLOWANCES.saver;
}

module.exports = { allowanceOf };
