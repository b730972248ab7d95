/*
 * What the conditions of the engine's own breakpoints cost, which have a bounded share of their thread's time, and what they
 * want. One expression: a function that gives what such conditions call.
 */
((performance, way) => {
  'use strict';
  const WINDOW = 1000;

  /** By number: breakpoints of the engine that have a condition, and the milliseconds that a pass of each costs. */
  const stops = new Map();
  /** The share of their thread's time that all of them may take together; since when, and how much of it was spent. */
  const SHARE = 0.05;
  let from = 0;
  let spent = 0;
  /** Until it has been measured (findings of many programs). */
  const USUAL_COST = 0.2;
  let isStop = false;
  let hitIds = [];
  function stopOf(number) {
    let stop = stops.get(number);
    if (stop === undefined) {
      stop = { cost: USUAL_COST, isNew: way.measures === true, isHot: false };
      stops.set(number, stop);
    }
    return stop;
  }

  return {
    /** The engine is at one of its breakpoints that have a condition, which has its share of the thread's time. */
    tick(number) {
      const stop = stopOf(number);
      const now = performance.now();
      if (now - from >= WINDOW) {
        from = now;
        spent = 0;
      }
      spent += stop.cost;
      // Who steps would lose the step by the pause in which it is measured.
      isStop = stop.isNew && way.isStepping?.() !== true;
      stop.isNew &&= !isStop;
      if (spent > SHARE * WINDOW && !stop.isHot) {
        stop.isHot = true;
        way.hot(number);
      }
    },
    /** What a pass of it was found to cost, in milliseconds. */
    costs(number, cost) {
      stopOf(number).cost = cost;
    },
    /** What its condition says in the end: the marks that want a stop, and the first pass, to be measured. */
    stops(ids) {
      hitIds = ids;
      return ids.length > 0 || isStop;
    },
    /** Whether a mark wanted the stop that the engine has made; and which did, asked once. */
    isStop: () => hitIds.length > 0,
    takeStops() {
      const ids = hitIds;
      hitIds = [];
      return ids;
    },
  };
})
