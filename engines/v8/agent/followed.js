/*
 * What has changed from one line of a followed function to the next. One expression: a function that gives what followed
 * lines call.
 */
((textOf, typeOf, hides, HIDDEN) => {
  'use strict';
  // What the program may replace later is taken now.
  const { Map, Object } = globalThis;
  const { is, keys } = Object;

  /** Calls of followed functions: by their number what they showed at their last line, by the name of the variable. */
  const calls = new Map();
  let callNumber = 0;
  let used = 0;
  const MOST_CALLS = 2_000;
  const WIDTH = 200;
  /** Characters of a text that is kept as it is. */
  const LONGEST = 1_000;
  /** Names that have been asked about: whether they are secret. */
  const secret = new Map();
  const MOST_NAMES = 5_000;

  function isSecret(name) {
    let known = secret.get(name);
    if (known === undefined) {
      known = hides(name);
      if (secret.size >= MOST_NAMES) {
        secret.clear();
      }
      secret.set(name, known);
    }
    return known;
  }

  function begun(call) {
    const known = { prints: new Map(), used: 0 };
    if (call > 0) {
      calls.set(call, known);
      if (calls.size > MOST_CALLS) {
        // Half of them, so that it is seldom done: those that have waited longest.
        const oldest = [...calls].sort((one, other) => one[1].used - other[1].used).slice(0, MOST_CALLS / 2);
        for (const [number] of oldest) {
          calls.delete(number);
        }
      }
    }
    return known;
  }

  function isPlain(value) {
    switch (typeof value) {
      case 'object':
        return value === null;
      case 'string':
        return value.length <= LONGEST;
      default:
        return typeof value !== 'function' && typeof value !== 'symbol';
    }
  }

  /** A variable that is no longer what it was, as its text and type; undefined for one that is. */
  function changedValue(prints, name, value) {
    try {
      const before = prints.get(name);
      // Such a value is what it is seen by; of others nothing is kept but their text.
      if (isPlain(value) && !isSecret(name)) {
        if (before !== undefined && before.isPlain && is(before.print, value)) {
          return undefined;
        }
        prints.set(name, { isPlain: true, print: value });
        return [textOf(value, 0, WIDTH), typeOf(value)];
      }
      const text = isSecret(name) ? HIDDEN : textOf(value, 0, WIDTH);
      const type = typeOf(value);
      if (before !== undefined && !before.isPlain && before.print === text && before.type === type) {
        return undefined;
      }
      prints.set(name, { isPlain: false, print: text, type });
      return [text, type];
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
      const known = calls.get(call) ?? begun(call);
      used += 1;
      known.used = used;
      const changed = {};
      for (const name of keys(values)) {
        const told = changedValue(known.prints, name, values[name]);
        if (told !== undefined) {
          changed[name] = told;
        }
      }
      return changed;
    },
  };
})
