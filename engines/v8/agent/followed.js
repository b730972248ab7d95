/*
 * What has changed from one line of a followed function to the next. One expression: a function that gives what followed
 * lines call.
 */
((textOf, typeOf, hides, HIDDEN) => {
  'use strict';
  // What the program may replace later is taken now.
  const { Map, Object } = globalThis;

  /** Calls of followed functions: by their number what they showed at their last line. */
  const calls = new Map();
  let callNumber = 0;
  const MOST_CALLS = 2_000;
  const WIDTH = 200;

  /** A variable of a followed function, as its text and type. */
  function followedValue(name, value) {
    try {
      return [hides(name) ? HIDDEN : textOf(value, 0, WIDTH), typeOf(value)];
    } catch {
      return ['(cannot be shown)', typeof value];
    }
  }

  return {
    call() {
      callNumber += 1;
      return callNumber;
    },
    /** What of `values`, by name, is not as at the last line of the call; `call` 0: there was none. */
    changes(call, values) {
      const before = calls.get(call) ?? {};
      const now = {};
      const changed = {};
      for (const key of Object.keys(values)) {
        const shown = followedValue(key, values[key]);
        now[key] = shown;
        if (before[key]?.[0] !== shown[0] || before[key]?.[1] !== shown[1]) {
          changed[key] = shown;
        }
      }
      if (call > 0) {
        calls.delete(call);
        calls.set(call, now);
        if (calls.size > MOST_CALLS) {
          calls.delete(calls.keys().next().value);
        }
      }
      return changed;
    },
  };
})
