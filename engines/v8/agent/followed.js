/*
 * What has changed from one line of a followed function to the next. One expression: a function that gives what followed
 * lines call.
 */
((require, textOf, typeOf, hides, HIDDEN) => {
  'use strict';
  // What the program may replace later is taken now.
  const { Map, Set, Object, Array } = globalThis;
  const { hasOwn, is, keys, getOwnPropertyDescriptor, getPrototypeOf } = Object;
  const { isArray } = Array;
  const { isProxy } = require('node:util').types;
  const plainPrototype = Object.prototype;
  const listPrototype = Array.prototype;

  /** Calls of followed functions: by their number what they showed at their last line, by the name of the variable. */
  const calls = new Map();
  let callNumber = 0;
  let used = 0;
  /** Lines that were passed and not told: after one of them anything may be different. */
  let missed = 0;
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
    const known = { prints: new Map(), loose: new Set(), used, line: undefined, missed };
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

  /** By what the code says of a line: what it does, what may run before it, and what functions in its function do. */
  const lines = new Map();
  const MOST_LINES = 20_000;

  function lineOf(effects) {
    if (effects === '') {
      return undefined;
    }
    let line = lines.get(effects);
    if (line === undefined) {
      const [does, before, inner] = effects.split('|').map((part) => {
        const calls = part[0] === '!';
        const names = calls ? part.slice(1) : part;
        return { calls, names: names === '' ? [] : names.split(',') };
      });
      line = { does, before, inner, after: new Map() };
      if (lines.size >= MOST_LINES) {
        lines.clear();
      }
      lines.set(effects, line);
    }
    return line;
  }

  /** What may be different at a line after another one of the same call: names, and whether what variables hold. */
  function between(last, line) {
    let found = line.after.get(last);
    if (found === undefined) {
      const calls = last.does.calls || line.before.calls;
      const names = new Set([...last.does.names, ...line.before.names, ...(calls ? line.inner.names : [])]);
      found = { calls, names: [...names] };
      line.after.set(last, found);
    }
    return found;
  }

  /** A variable that is no longer what it was, as its text and type; undefined for one that is. */
  function changedValue({ prints, loose }, name, value) {
    try {
      const before = prints.get(name);
      // Such a value is what it is seen by; of others nothing is kept but their text.
      if (isPlain(value) && !isSecret(name)) {
        if (before?.isPlain && is(before.print, value)) {
          return undefined;
        }
        prints.set(name, { isPlain: true, print: value });
        loose.delete(name);
        return [textOf(value, 0, WIDTH), typeOf(value)];
      }
      loose.add(name);
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

  /** Puts those of `names` into `changed` that are not what they were. */
  function tellAll(known, names, values, changed) {
    for (const name of names) {
      // There may be no object of its own, or nothing in it yet.
      const isThere = hasOwn(values, name) && (name !== 'this' || values[name] !== undefined);
      if (isThere && !hasOwn(changed, name)) {
        const told = changedValue(known, name, values[name]);
        if (told !== undefined) {
          changed[name] = told;
        }
      }
    }
  }

  return {
    call() {
      callNumber += 1;
      return callNumber;
    },
    /** A line was passed and not told. */
    missed() {
      missed += 1;
    },
    lineOf,
    /** What an object holds of these members, without running anything of the program; undefined where that is nothing. */
    own(value, names) {
      if (typeof value !== 'object' || value === null || isProxy(value)) {
        return undefined;
      }
      let seen;
      for (const name of names) {
        const member = getOwnPropertyDescriptor(value, name);
        if (member !== undefined && 'value' in member && typeof member.value !== 'function') {
          seen = seen ?? {};
          seen[name] = member.value;
        }
      }
      return seen;
    },
    /**
     * What of `values`, by name, is not as at the last line of the call; `call` 0: there was none. `line`: what the line
     * does, so that not all of them need be looked at; undefined where that is not known.
     */
    changes(call, values, line) {
      const known = calls.get(call) ?? begun(call);
      used += 1;
      known.used = used;
      const last = known.missed === missed ? known.line : undefined;
      known.missed = missed;
      known.line = line;
      const changed = {};
      if (last === undefined || line === undefined) {
        tellAll(known, keys(values), values, changed);
        return changed;
      }
      const maybe = between(last, line);
      tellAll(known, maybe.names, values, changed);
      if (maybe.calls) {
        tellAll(known, [...known.loose], values, changed);
      }
      return changed;
    },
  };
})
