// What is written to people.
const TEXTS = {
  paid: 'thank you',
  held: 'we keep your places until noon',
  open: 'please pay soon',
};

function mailFor(state, name, note) {
  const text = TEXTS[state] ?? 'ask at the desk';
  const end = note ? ` (${note})` : '';
  return `${name}: ${text}${end}`;
}

module.exports = { mailFor };
