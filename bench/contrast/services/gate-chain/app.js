const { runSteps } = require('./chain');

/** The gates of the terminal: who may go through which door. */
exports.handle = (path, body) => {
  if (path !== '/gate') {
    return { error: 'no gate' };
  }
  if (typeof body.pass !== 'string') {
    return { error: 'no pass' };
  }
  const visit = { pass: body.pass, door: body.door, bags: body.bags ?? 0, notes: [] };
  runSteps(visit);
  return {
    open: visit.open === true,
    who: visit.holder ? visit.holder.name : 'nobody',
    notes: visit.notes,
    queue: visit.queue ?? null,
  };
};
