// What people have set, and what is taken where they have not.
const DEFAULTS = { channels: ['mail'], language: 'en', quiet: true };

function settingsFor(body) {
  const settings = { ...DEFAULTS, who: body.who };
  if (body.channels) {
    settings.channels = body.channels;
  }
  if (body.sms && settings.channels.length < 3) {
    settings.channels.push('sms');
  }
  if (body.language) {
    settings.language = body.language;
  }
  return settings;
}

module.exports = { settingsFor };
