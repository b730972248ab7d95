/*
 * The part that is put into a thread that runs JavaScript (a Node program's, a worker's, a page's) while something of it is
 * marked. It is one expression, evaluated with what gives Node's modules, or stands for them, and its parts beside it, and
 * lives under one hidden global name until the last mark is out again. It counts, and keeps hit rules and limits.
 */
((require, options, parts) => {
  'use strict';
  const { performance } = require('node:perf_hooks');
  const { setImmediate } = require('node:timers');
  const { cpuUsage } = require('node:process');
  // What the program may replace later is taken now.
  const { Map, Set, RegExp, Object, Number, Infinity, Error } = globalThis;
  const veil = options.veil === null ? undefined : new RegExp(options.veil, 'i');
  const hides = (name) => typeof name === 'string' && veil !== undefined && veil.test(name);
  const { isSafeInteger } = Number;
  const way = options.deliver === null ? globalThis[options.way] : parts.binding(globalThis, options.deliver);

  const HIDDEN = '•••';
  const { textOf, typeOf, errorText } = parts.text(require, hides, HIDDEN);
  const WINDOW = 1000;

  const marks = new Map();
  const NO_LIMITS = { perSecond: Infinity, inAll: Infinity, bytes: 1024 };
  let isOver = false;
  let listens = false;
  let watches = false;
  const aside = parts.aside(require);
  const deliveries = parts.deliveries(performance, way, marks, () => served.current());
  const { push, micros, schedule } = deliveries;
  const served = parts.served(require, aside, { begun: deliveries.begun, ended: deliveries.ended });

  const sends = parts.sends(parts.clients(require), veiled);
  const watchJobs = parts.jobs(require, served);
  const { carried, asked, answered } = parts.carried(served);

  /** Watches each kind of server and of worker that the program has loaded. */
  function watchKinds() {
    served.watch();
    aside(watchJobs);
  }

  function markOf(id) {
    let mark = marks.get(id);
    if (mark === undefined) {
      mark = { passes: 0, hits: 0, errors: 0, first: '', dropped: 0, unread: 0, told: 0, from: 0, inWindow: 0, now: 0 };
      mark.rule = undefined;
      mark.only = undefined;
      mark.line = undefined;
      mark.limits = NO_LIMITS;
      marks.set(id, mark);
    }
    return mark;
  }

  /** What every mark has counted. */
  const counts = () => [...marks].map(([id, { hits, errors, first }]) => ({ id, hits, errors, first }));

  /** Whether this hit is still within what the mark may tell in a second; what is not is counted. */
  function mayTell(mark) {
    const { limits } = mark;
    const now = performance.now();
    mark.now = now;
    if (now - mark.from >= WINDOW) {
      mark.from = now;
      mark.inWindow = 0;
    }
    const isUnread = way.isFull();
    if (isUnread || mark.inWindow >= limits.perSecond || mark.told >= limits.inAll) {
      mark.dropped += 1;
      mark.unread += isUnread ? 1 : 0;
      schedule();
      return false;
    }
    mark.inWindow += 1;
    mark.told += 1;
    return true;
  }

  /** A value as it is told: short strings and integers as they are, everything else as its text and type. */
  function shown(value, limit) {
    const isShort = typeof value === 'string' ? value.length <= limit : isSafeInteger(value) && (value !== 0 || 1 / value > 0);
    return isShort ? value : [textOf(value, 0, limit), typeOf(value)];
  }

  /** A copy of values by name, in which those are hidden that have a secret one. */
  function veiled(values, part) {
    const isPlain = values !== null && typeof values === 'object' && [Object.prototype, null].includes(Object.getPrototypeOf(values));
    if (!isPlain) {
      return values;
    }
    const own = { ...values };
    const isSecret = hides(part);
    for (const name of Object.keys(own).filter((each) => isSecret || hides(each))) {
      own[name] = HIDDEN;
    }
    return own;
  }

  const { takes, isFor } = parts.rules();
  const conditions = parts.conditions(performance, way);
  const followed = parts.followed(require, textOf, typeOf, hides, HIDDEN);
  let forbidEdits = () => undefined;
  const computing = new Set();
  const stale = new Set();

  const helper = {
    /**
     * From now on it is known which request is served: every await costs the program some 0.4 µs for it.
     * `all`: every request is told, also one without a hit.
     */
    watch(all) {
      watches = true;
      watchKinds();
      if (all === true && deliveries.tellAll()) {
        aside(parts.called(require, served, deliveries.called, options.origins));
      }
    },
    /** From now on what is printed is told, line by line. */
    listen() {
      if (!listens) {
        listens = true;
        aside(parts.printed(require, served, deliveries.printed));
      }
    },
    /** The request that is served here, or null. */
    request() {
      const request = served.current();
      return request === undefined ? null : deliveries.describe(request);
    },
    /** `request` in an expression of a mark, where the program has nothing of that name. `isShown`: what it gives is told. */
    asked(isShown) {
      const request = asked(isShown ? veiled : (values) => values);
      if (request === undefined) {
        throw new Error('no request is known to be served here');
      }
      return request;
    },
    /** What the request that is served here carries, and what has been answered so far. */
    carried,
    answered,
    /** Marks at what the program sends: these from now on. */
    sends: (marks) => aside(() => sends.mark(marks)),
    /** For which of them it stands still; what is sent there, for an expression and to be looked at. */
    due: sends.due,
    sent: sends.sent,
    shown: sends.shown,
    /** How many other requests wait for the one that is served here, or for what is no request. */
    others() {
      return Math.max(0, served.underWay() - (served.current() === undefined ? 0 : 1));
    },
    /** What has not been told yet, as it would be, and is not told again; or null. */
    untold: () => deliveries.take() ?? null,
    /** The hit rule and limits of a mark, and the requests that it is for. */
    rule(id, rule, limits, only) {
      const mark = markOf(id);
      mark.rule = rule.length > 0 ? rule : undefined;
      mark.limits = limits;
      mark.only = only ? { ...only, path: new RegExp(only.path) } : undefined;
    },
    /** Whether what is served here is of the requests that a mark is for. */
    mine(id) {
      return isFor(markOf(id), served.current());
    },
    /** Whether this is the first that code of the project does for a request that a mark is for. */
    first(id) {
      const request = served.current();
      if (request === undefined || request.met?.has(id) || !isFor(markOf(id), request)) {
        return false;
      }
      request.met = (request.met ?? new Set()).add(id);
      return true;
    },
    /** A call of a followed function begins. */
    call: followed.call,
    /** A followed line is passed; `values`: the variables of its function by name. */
    follow(id, call, name, values) {
      const mark = markOf(id);
      const changed = followed.changes(call, values, mark.line);
      push([id, micros(mark.now), { frame: call, name, changed }]);
    },
    own: followed.own,
    /** What followed lines do to variables, by their marks; "" where it is not known (engines/v8/splice/effects.ts). */
    lines(texts) {
      for (const [id, text] of texts) {
        markOf(id).line = followed.lineOf(text);
      }
    },
    ...conditions,
    /** Whether a piece of code that has come with a script is there for a mark still; a client before us may have left some. */
    counts: (piece) => piece > options.pieces && !stale.has(piece),
    /** Which of them are not, of those between two numbers. */
    stale(first, last, pieces) {
      for (let piece = first; piece <= last; piece += 1) {
        if (pieces.includes(piece)) {
          stale.add(piece);
        } else {
          stale.delete(piece);
        }
      }
    },
    /** A pass of a breakpoint with a hit rule: whether it is to stop. */
    pass(id) {
      return takes(markOf(id));
    },
    count(id) {
      const mark = markOf(id);
      if (takes(mark)) {
        mark.hits += 1;
      }
    },
    /** Whether a logpoint's values are wanted: they are not even computed for a pass that is left out. */
    wants(id) {
      const mark = markOf(id);
      if (!takes(mark)) {
        return false;
      }
      mark.hits += 1;
      const isWanted = mayTell(mark);
      if (!isWanted && mark.line !== undefined) {
        followed.missed();
      }
      return isWanted;
    },
    /** Whether the expressions of a mark may be computed: not while they are, by what they call themselves. */
    enter(id) {
      if (computing.has(id)) {
        return false;
      }
      computing.add(id);
      return true;
    },
    exit(id) {
      computing.delete(id);
    },
    log(id, ...values) {
      const { limits, now } = markOf(id);
      const row = [id, micros(now)];
      for (let index = 0; index < values.length; index += 1) {
        row.push(shown(values[index], limits.bytes));
      }
      push(row);
    },
    /** A logpoint whose condition or value failed: it was passed, and this is why it says nothing. */
    failed(id, error) {
      helper.error(id, error);
      const mark = markOf(id);
      if (mayTell(mark)) {
        push([id, micros(mark.now), { error: errorText(error) }]);
      }
    },
    error(id, error) {
      const mark = markOf(id);
      mark.errors += 1;
      if (mark.errors === 1) {
        mark.first = errorText(error);
      }
    },
    /** Stops between two turns of the event loop, where the client changes what it could not while it was running. */
    hold() {
      setImmediate(function $amberHold() {
        if (!isOver) {
          debugger;
        }
      });
    },
    /** Whether requests are under way now. */
    isBusy() {
      served.watch();
      return served.isBusy();
    },
    /**
     * Holds new requests until those under way have been answered, so that functions that never rest come to one.
     * @returns (a promise of) whether none is under way; `release` lets the others go, at the latest after `most` ms
     */
    calm: (most, answered) => served.hold(most, answered),
    release: () => served.release(),
    /** The counts, and what has not been told yet. */
    beat() {
      if (watches) {
        // Kinds of servers that have been loaded since.
        watchKinds();
      }
      way.beat?.();
      deliveries.flush();
      return counts();
    },
    /** From V8 14 on, which Node 26 has, code can be changed only where a flag allows it; until we go. */
    allowEdits() {
      const { setFlagsFromString } = require('node:v8');
      setFlagsFromString('--inspector-live-edit');
      forbidEdits = () => setFlagsFromString('--no-inspector-live-edit');
    },
    /** Milliseconds by the clock, and those that the process has computed. */
    now() {
      const { user, system } = cpuUsage();
      return [performance.now(), (user + system) / 1000];
    },
    /** Whether Node's own loader has compiled a file, so that the engine would compile it again as it stands. */
    isLoaded: (path) => require('node:module')._cache[path] !== undefined,
    /** The client goes: everything is as it was; code that could not be taken out finds nobody. */
    leave() {
      isOver = true;
      deliveries.end();
      sends.undo();
      served.undo();
      way.end?.();
      forbidEdits();
      if (way.flush === deliveries.flush) {
        way.flush = undefined;
        way.counts = undefined;
      }
      if (globalThis[options.name] === helper) {
        delete globalThis[options.name];
      }
    },
  };

  way.flush = deliveries.flush;
  way.counts = counts;
  Object.defineProperty(globalThis, options.name, { value: helper, configurable: true, enumerable: false });
  return true;
})
