/*
 * Does something without putting anything into Node's queues. What the engine evaluates for us may run between any two
 * calls of JavaScript, Node's own included: in the moment in which Node has seen the queue of `process.nextTick` empty and
 * has not noted it yet, one that is added there has that queue never run again, and every answer of the program waits
 * for ever. The lists of timers have such moments too; `setImmediate` has none. It is one expression, evaluated together
 * with whatever needs it (boot.js, helper.js).
 */
((require) => {
  'use strict';
  const process = require('node:process');
  const { setImmediate } = require('node:timers');
  return (work) => {
    const { nextTick } = process;
    const later = [];
    let isAside = false;
    try {
      process.nextTick = (...args) => void later.push(args);
      isAside = true;
    } catch {
      // The program has made it unchangeable.
    }
    try {
      return work();
    } finally {
      if (isAside) {
        process.nextTick = nextTick;
      }
      if (later.length > 0) {
        setImmediate(() => later.forEach((args) => nextTick(...args)));
      }
    }
  };
})
