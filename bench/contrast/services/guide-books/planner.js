const A_DAY = 2;

class Planner {
  constructor(options) {
    this.options = options;
  }

  plan(places) {
    const chosen = this.options.childFriendly ? this.kind(places) : places;
    const most = this.options.days * A_DAY;
    return chosen.slice(0, most).map(({ name }) => name);
  }

  kind(places) {
    return places.filter(({ steep }) => !steep);
  }

  hours(count) {
    const pace = this.options.days > 2 ? 1.5 : 2;
    return count * pace;
  }
}

exports.Planner = Planner;
