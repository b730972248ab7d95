function seasonOf(month) {
  if (month >= 6 && month <= 8) {
    return 'high';
  }
  return 'low';
}

module.exports = { seasonOf };
