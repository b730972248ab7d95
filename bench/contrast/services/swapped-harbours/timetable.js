async function crossings(from, to, headers) {
  const answer = await fetch(`${process.env.PARTNER_URL}/crossings`, {
    method: 'POST',
    headers: headers.traceparent ? { traceparent: headers.traceparent } : {},
    body: JSON.stringify({ from, to }),
  });
  const { crossings: list } = await answer.json();
  return list;
}

module.exports = { crossings };
