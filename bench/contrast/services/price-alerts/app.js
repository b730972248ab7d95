// Alerts: people are told when a fare goes below what they have named.
const { settingsFor } = require('./settings');
const { fareOf } = require('./fares');

function handle(_path, body) {
  if (!body.who) {
    return { ok: false, why: 'for whom?' };
  }
  const settings = settingsFor(body);
  const alerts = [];
  if (body.route) {
    const fare = fareOf(body.route);
    if (fare === null) {
      return { ok: false, why: 'no such route' };
    }
    alerts.push(alertOf(body, fare));
  }
  const cost = costOf(settings, alerts.length);
  return { ok: true, who: settings.who, channels: settings.channels.join('+'), alerts, cost };
}

function alertOf(body, fare) {
  const now = fare <= body.below;
  return { route: body.route, below: body.below, now };
}

function costOf(settings, count) {
  let cents = 0;
  for (const channel of settings.channels) {
    cents += channel === 'sms' ? 9 * Math.max(1, count) : 0;
  }
  return cents;
}

module.exports = { handle };
