const LONGEST = 5;

/** Shares the hours among those of the day. */
exports.shiftsFor = ({ crew, pause }, from, to) => {
  let left = to - from - pause;
  const shifts = [];
  for (const who of crew) {
    const hours = Math.min(left, LONGEST);
    if (hours > 0) {
      shifts.push({ who, hours });
    }
    left -= hours;
  }
  return shifts;
};
