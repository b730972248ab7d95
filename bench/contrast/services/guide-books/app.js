const { Planner } = require('./planner');
const { placesIn } = require('./places');

/** What to see in a town. */
exports.handle = (path, body) => {
  if (path !== '/guides') {
    return { error: 'unknown' };
  }
  const places = placesIn(body.town);
  if (places.length === 0) {
    return { error: `nothing in ${body.town}` };
  }
  const planner = new Planner({ days: body.days, kidFriendly: body.with === 'kids' });
  const plan = planner.plan(places);
  return { town: body.town, plan, hours: planner.hours(plan.length) };
};
