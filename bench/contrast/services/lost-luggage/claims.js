// Claims are written into the form as JSON by the app at the counter.

function readClaim(text) {
  try {
    const claim = JSON.parse(text);
    claim.bags = Number(claim.bags);
    return claim;
  } catch {
    return { bags: 0 };
  }
}

function isComplete(claim) {
  if (claim.bags === 0) {
    return true;
  }
  return typeof claim.colour === 'string' && claim.colour !== '';
}

module.exports = { readClaim, isComplete };
