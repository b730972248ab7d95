const UNITS = { m: 1, ft: 0.3048, fathom: 1.8288 };

exports.unitOf = (name) => (name in UNITS ? name : 'm');
exports.asMeters = (value, unit) => value * UNITS[unit];
