function parseDay(text) {
  const [year, month, day] = text.split('-').map(Number);
  return { year, month, day };
}

function addMonths(day, months) {
  let month = day.month + months;
  let year = day.year;
  if (month > 12) {
    year += 1;
    month = month % 12;
  }
  const last = new Date(Date.UTC(year, month, 0)).getUTCDate();
  return { year, month, day: Math.min(day.day, last) };
}

function label({ year, month, day }) {
  return `${year}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
}

module.exports = { parseDay, addMonths, label };
