const { holderOf } = require('./passes');
const { mayOpen } = require('./doors');

function tidy(visit) {
  visit.pass = visit.pass.trim().toLowerCase();
}

function known(visit) {
  visit.holder = holderOf(visit.pass);
  if (visit.holder === undefined) {
    visit.notes.push('unknown pass');
  }
}

function allowed(visit) {
  visit.open = visit.holder !== undefined && mayOpen(visit.holder, visit.door);
  if (!visit.open) {
    visit.notes.push('please ask at the desk');
  }
}

function counted(visit) {
  visit.queue = visit.bags > 1 ? 'slow' : 'quick';
}

const STEPS = [known, tidy, allowed, counted];

exports.runSteps = (visit) => {
  for (const step of STEPS) {
    step(visit);
  }
};
