// Asks the boats' service, within the same trace.
async function ask(path, question, headers) {
  const answer = await fetch(process.env.PARTNER_URL + path, {
    method: 'POST',
    headers: headers.traceparent ? { traceparent: headers.traceparent } : {},
    body: JSON.stringify(question),
  });
  if (!answer.ok) {
    throw new Error(`boats said ${answer.status}`);
  }
  return answer.json();
}

module.exports = { ask };
