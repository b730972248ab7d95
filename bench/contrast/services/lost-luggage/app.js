// Luggage that was left on a boat: is any like it there, and what is paid where not.
const { readClaim, isComplete } = require('./claims');
const { foundOn } = require('./found');
const { paymentFor } = require('./payments');

function handle(_path, body) {
  const claim = readClaim(body.claim);
  const problem = isComplete(claim) ? null : 'say what it looks like';
  if (problem !== null) {
    return { ok: false, why: problem };
  }
  const found = foundOn(body.sailing).filter((bag) => looksLike(bag, claim));
  const missing = Math.max(0, claim.bags - found.length);
  return {
    ok: true,
    found: found.map((bag) => bag.tag),
    missing,
    payment: paymentFor(missing, body.insured === true),
    letter: letterOf(found, missing),
  };
}

function looksLike(bag, claim) {
  if (claim.colour === undefined) {
    return false;
  }
  return bag.colour === claim.colour || (bag.also ?? []).includes(claim.colour);
}

function letterOf(found, missing) {
  if (found.length === 0 && missing === 0) {
    return 'there is nothing to look for';
  }
  const parts = [];
  if (found.length > 0) {
    parts.push(`${found.length} found`);
  }
  if (missing > 0) {
    parts.push(`${missing} missing`);
  }
  return parts.join(', ');
}

module.exports = { handle };
