// A page of sailings as a customer wants to see it.
const { settingsFor } = require('./settings.js');
const { rowsFor } = require('./rows.js');

function handle(_path, body) {
  const settings = settingsFor(body);
  const rows = rowsFor(body.harbour ?? 'Holm', settings);
  const shown = rows.slice(0, settings.page.size);
  return { rows: shown, columns: settings.columns, more: rows.length > shown.length };
}

module.exports = { handle };
