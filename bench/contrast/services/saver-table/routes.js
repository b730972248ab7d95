const ROUTES = [
  { from: 'Skerrow', to: 'Holm', full: 14, saver: 9, minutes: 40 },
  { from: 'Skerrow', to: 'Innish', full: 18, saver: 12, minutes: 55 },
  { from: 'Innish', to: 'Tarrin', full: 16, saver: 61, minutes: 45 },
  { from: 'Holm', to: 'Skerrow', full: 14, saver: 9, minutes: 40 },
  { from: 'Tarrin', to: 'Holm', full: 11, saver: null, minutes: 30 },
];

module.exports = { ROUTES };
