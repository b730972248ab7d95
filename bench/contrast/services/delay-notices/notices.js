// Notices to people on a sailing that is late by more than ten minutes.
const { post } = require('./post');

const LEAST = 10;

function noticesFor(late, people) {
  if (late.minutes < LEAST) {
    return [];
  }
  const text = `${late.id} leaves at ${late.leaves}`;
  return people.map(({ name, phone }) => ({ to: phone, text: `${name}: ${text}` }));
}

async function sendAll(notices) {
  const sent = [];
  for (const notice of notices) {
    if (!notice.to) {
      sent.push({ ok: false, to: null });
      continue;
    }
    sent.push(post(notice));
  }
  return sent;
}

module.exports = { noticesFor, sendAll };
