const STANDARD = { columns: 'short', page: { size: 2 }, sort: 'time' };

function settingsFor(body) {
  const settings = { ...STANDARD };
  if (body.columns) {
    settings.columns = body.columns;
  }
  if (body.size) {
    settings.page.size = body.size;
  }
  if (body.sort) {
    settings.sort = body.sort;
  }
  return settings;
}

module.exports = { settingsFor };
