/*
 * What has changed from one line of a followed function to the next. One expression: a function that gives what followed
 * lines call.
 */
((require, textOf, typeOf, hides, HIDDEN) => {
  'use strict';
  // What the program may replace later is taken now.
  const { Map, Object, Array } = globalThis;
  const { is, keys, getOwnPropertyDescriptor, getPrototypeOf } = Object;
  const { isArray } = Array;
  const { isProxy } = require('node:util').types;
  const plainPrototype = Object.prototype;
  const listPrototype = Array.prototype;

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
    const known = { prints: new Map(), used };
    if (call > 0) {
      if (calls.size >= MOST_CALLS) {
        // Half of them, so that it is seldom done: those that have waited longest.
        const oldest = [...calls].sort((one, other) => one[1].used - other[1].used).slice(0, MOST_CALLS / 2);
        for (const [number] of oldest) {
          calls.delete(number);
        }
      }
      calls.set(call, known);
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

  /** As deep as a text goes; members of one object, and in all, that are looked at before a text is made at once. */
  const DEPTH = 3;
  const MOST_MEMBERS = 50;
  const MOST_IN_ALL = 400;

  /**
   * Writes into `seen` what plain objects and lists in a value hold; making that costs a tenth of making a text.
   * @returns whether that is all there is to see of it
   */
  function look(value, depth, seen) {
    const isList = isArray(value);
    if (isProxy(value) || getPrototypeOf(value) !== (isList ? listPrototype : plainPrototype)) {
      return false;
    }
    const names = keys(value);
    if (names.length > MOST_MEMBERS || seen.length > MOST_IN_ALL) {
      return false;
    }
    seen.push(isList ? value.length : -1, names.length);
    for (let at = 0; at < names.length; at += 1) {
      const name = names[at];
      const member = getOwnPropertyDescriptor(value, name);
      if (member === undefined || !('value' in member)) {
        return false;
      }
      const held = member.value;
      if (isPlain(held)) {
        seen.push(name, held);
      } else if (typeof held !== 'object' || depth >= DEPTH) {
        return false;
      } else {
        seen.push(name);
        if (!look(held, depth + 1, seen)) {
          return false;
        }
      }
    }
    return true;
  }

  function lookedAt(value) {
    const seen = [];
    return typeof value === 'object' && look(value, 0, seen) ? seen : undefined;
  }

  function isSeen(one, other) {
    if (one === undefined || other === undefined || one.length !== other.length) {
      return false;
    }
    for (let at = 0; at < one.length; at += 1) {
      if (!is(one[at], other[at])) {
        return false;
      }
    }
    return true;
  }

  /** A variable that is no longer what it was, as its text and type; undefined for one that is. */
  function changedValue(prints, name, value) {
    try {
      const before = prints.get(name);
      // Such a value is what it is seen by; of others nothing is kept but their text.
      if (isPlain(value) && !isSecret(name)) {
        if (before?.isPlain && is(before.print, value)) {
          return undefined;
        }
        prints.set(name, { isPlain: true, print: value });
        return [textOf(value, 0, WIDTH), typeOf(value)];
      }
      const seen = isPlain(value) ? undefined : lookedAt(value);
      if (before !== undefined && isSeen(before.seen, seen)) {
        return undefined;
      }
      const text = isSecret(name) ? HIDDEN : textOf(value, 0, WIDTH);
      const type = typeOf(value);
      if (before !== undefined && !before.isPlain && before.print === text && before.type === type) {
        before.seen = seen;
        return undefined;
      }
      prints.set(name, { isPlain: false, print: text, type, seen });
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
