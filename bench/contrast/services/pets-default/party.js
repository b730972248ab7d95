function readParty(body) {
  const party = {
    boat: body.boat ?? 'Kestrel',
    adults: body.adults ?? 1,
    children: body.children ?? 0,
    window: body.window === true,
  };
  if (body.animals !== undefined) {
    party.animals = body.animals;
  }
  return party;
}

function heads(party) {
  return party.adults + party.children / 2;
}

module.exports = { readParty, heads };
