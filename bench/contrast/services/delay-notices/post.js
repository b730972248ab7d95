// The gateway for short messages.
async function post({ to, text }) {
  await new Promise((done) => setImmediate(done));
  const ok = to.startsWith('+') && text.length < 160;
  return { ok, to };
}

module.exports = { post };
