// Who has which shift on which day.
const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
const PLAN = {
  mon: {
    ada: { needs: 'mate', hours: 8 },
    bo: { needs: 'mate', hours: 6 },
    dot: { needs: 'deckhand', hours: 8 },
  },
  tue: {
    bo: { needs: 'mate', hours: 9 },
    cy: { needs: 'mate', hours: 7 },
    ada: { needs: 'deckhand', hours: 5 },
    dot: { needs: 'bosun', hours: 8 },
  },
  wed: { bo: { needs: 'deckhand', hours: 4 }, dot: { needs: 'bosun', hours: 8 } },
};

function of(person, day) {
  return PLAN[day]?.[person.id] ?? null;
}

module.exports = { DAYS, of };
