/*
 * The part that is put into a Node program while marks are spliced into its code. It is one expression, evaluated
 * with `require` at hand and text.js beside it, and lives under one hidden global name until the last splice is out again.
 *
 * It counts, keeps hit rules, collects the values of logpoints in batches, and watches over the client: when the
 * client has not been heard of for `patience` milliseconds it takes the splices out by itself.
 */
((require, options, texts) => {
  'use strict';
  const NAME = options.name;
  const process = require('node:process');
  const { inspector, performance } = {
    inspector: require('node:inspector'),
    performance: require('node:perf_hooks').performance,
  };
  // What the program may replace later is taken now.
  const { setInterval, setTimeout, clearInterval, JSON, Map, Set, RegExp, Array, Object, URL, Number } = globalThis;
  const veil = options.veil === null ? undefined : new RegExp(options.veil, 'i');
  const hides = (name) => typeof name === 'string' && veil !== undefined && veil.test(name);
  const { round } = Math;
  const { isSafeInteger } = Number;
  const { setImmediate } = require('node:timers');
  const { existsSync, readFileSync } = require('node:fs');
  const deliver = globalThis[options.binding];
  delete globalThis[options.binding];

  const HIDDEN = '•••';
  const { textOf, typeOf, errorText } = texts(require, hides, HIDDEN);
  const BATCH = 500;
  const FLUSH_AFTER = 20;
  const WINDOW = 1000;
  const CHECK_EVERY = 500;
  const CLOSE_EVERY = 100;
  /** Checks from one try to take splices out to the next, at most: a try holds the program up for some 60 ms. */
  const MOST_CHECKS = 20;

  const began = performance.now();
  /** Microseconds since 1970 at that moment, by which hits of several programs are set in order. */
  const epoch = Math.round((performance.timeOrigin + began) * 1000);
  /** Requests that may wait to be told of. */
  const MOST_REQUESTS = 20_000;
  const marks = new Map();
  const NO_LIMITS = { perSecond: Infinity, inAll: Infinity, bytes: 1024 };
  /** Script id to the text that is to be there when we are gone. */
  const pristine = new Map();
  let closing;
  let heard = performance.now();
  let isAlone = false;
  let tries = 0;
  let checksApart = 1;
  let checksLeft = 1;
  let session;
  let batch = [];
  /** For each hit of the batch the id of the request that it belongs to, and the requests that are new in it. */
  let owners = [];
  let begun = [];
  /** Requests that have been answered since: id, status, when. */
  let ended = [];
  /** Spans that requests have handed on to other services: id of the request, id of the span. */
  let called = [];
  /** What was printed: stream, line, when, id of the request; and how many lines could not be told. */
  let printed = [];
  let unprinted = 0;
  let listens = false;
  let watches = false;
  const MOST_LINES = 20_000;
  const LONGEST_LINE = 2_000;
  /** Whether every request is to be told, not only those with hits; and how many could not be. */
  let tellsAll = false;
  let untold = 0;
  let flushing;
  let seq = 0;

  const { AsyncLocalStorage } = require('node:async_hooks');
  const served = new AsyncLocalStorage();
  let requests = 0;
  /** What puts the servers back as they were. */
  const unwatch = [];

  /** Has everything that a server does for a request, awaits and timers included, know which request it is. */
  function watchServer({ prototype }) {
    const before = prototype.emit;
    const had = Object.getOwnPropertyDescriptor(prototype, 'emit');
    function emit(event, request, response, ...rest) {
      if (event !== 'request' || isAlone) {
        return before.call(this, event, request, response, ...rest);
      }
      return served.run(beginRequest(request, response), () => before.call(this, event, request, response, ...rest));
    }
    Object.defineProperty(prototype, 'emit', { value: emit, writable: true, configurable: true, enumerable: false });
    unwatch.push(() => {
      // Whoever has replaced ours since keeps what is theirs; ours then only passes on.
      if (prototype.emit !== emit) {
        return;
      }
      if (had === undefined) {
        delete prototype.emit;
      } else {
        Object.defineProperty(prototype, 'emit', had);
      }
    });
  }

  function beginRequest({ method, url: target, headers }, response) {
    requests += 1;
    const known = { id: requests, method, target, traceparent: headers?.traceparent ?? null, headers };
    known.at = performance.now();
    known.told = tellsAll && begun.length + ended.length < MOST_REQUESTS && !isStalled();
    if (known.told) {
      begun.push(describe(known));
      scheduleFlush();
    } else if (tellsAll) {
      untold += 1;
    }
    response?.once?.('close', () => {
      if (known.told && !isAlone) {
        ended.push([known.id, response.headersSent ? response.statusCode : 0, micros(performance.now())]);
        scheduleFlush();
      }
    });
    return known;
  }

  /** The engine holds what a client does not read, without bound: one that does not answer is told nothing more. */
  function isStalled() {
    return performance.now() - heard > options.stall;
  }

  function micros(time) {
    return round((time - began) * 1000);
  }

  /** Whether what is served here, if anything, is of the requests that a mark is for. */
  function isFor({ only }, request) {
    if (only === undefined || request === undefined) {
      return only === undefined;
    }
    const target = only.whole ? request.target : request.target.split('?', 1)[0];
    return (
      (only.method === '*' || only.method === request.method) &&
      only.path.test(target) &&
      (only.name === null || request.headers?.[only.name] === only.value)
    );
  }

  /** A request asks another service, in a span of its own (W3C Trace Context). */
  function noteCall(traceparent) {
    const request = served.getStore();
    const [, , span, flags] = typeof traceparent === 'string' ? traceparent.split('-') : [];
    if (request?.told && flags !== undefined && called.length < MOST_REQUESTS) {
      called.push([request.id, span]);
      scheduleFlush();
    }
  }

  /** The header of a request of undici's (fetch): its headers are a list of names and values, or text. */
  function headerOfFetch({ headers }) {
    if (typeof headers === 'string') {
      return /^traceparent: *(\S+)/im.exec(headers)?.[1];
    }
    const at = Array.isArray(headers) ? headers.findIndex((name, index) => index % 2 === 0 && `${name}`.toLowerCase() === 'traceparent') : -1;
    return at < 0 ? undefined : `${headers[at + 1]}`;
  }

  /** Node tells of requests that it sends, by channels that anybody may listen to. */
  function watchCalls() {
    const { subscribe, unsubscribe } = require('node:diagnostics_channel');
    const listeners = {
      'http.client.request.start': ({ request }) => noteCall(request.getHeader('traceparent')),
      'undici:request:create': ({ request }) => noteCall(headerOfFetch(request)),
    };
    for (const [name, listen] of Object.entries(listeners)) {
      const safely = (message) => {
        try {
          listen(message);
        } catch {
          // What is sent is none of ours.
        }
      };
      subscribe(name, safely);
      unwatch.push(() => unsubscribe(name, safely));
    }
  }

  /** Has everything that goes through a standard stream told, line by line. */
  function watchOutput() {
    for (const name of ['stdout', 'stderr']) {
      const stream = process[name];
      const had = Object.getOwnPropertyDescriptor(stream, 'write');
      const before = stream.write;
      let begun = '';
      function write(chunk, encoding, ...rest) {
        try {
          const text = typeof chunk === 'string' ? chunk : chunk?.toString?.('utf8');
          const lines = (begun + text).split('\n');
          begun = lines.pop().slice(0, LONGEST_LINE);
          lines.forEach((line) => print(name, line));
        } catch {
          // What is printed is the program's; whether it can be told is not.
        }
        return before.call(this, chunk, encoding, ...rest);
      }
      Object.defineProperty(stream, 'write', { value: write, writable: true, configurable: true, enumerable: false });
      unwatch.push(() => {
        if (stream.write === write) {
          delete stream.write;
          if (had !== undefined) {
            Object.defineProperty(stream, 'write', had);
          }
        }
      });
    }
  }

  function print(name, line) {
    if (isAlone || printed.length >= MOST_LINES || isStalled()) {
      unprinted += isAlone ? 0 : 1;
      return;
    }
    printed.push([name, line.slice(0, LONGEST_LINE), micros(performance.now()), served.getStore()?.id ?? 0]);
    scheduleFlush();
  }

  function watchServers() {
    watchServer(require('node:http').Server);
    if (process.moduleLoadList.includes('NativeModule https')) {
      watchServer(require('node:https').Server);
    }
  }

  function unwatchServers() {
    for (const undo of unwatch.splice(0)) {
      undo();
    }
    served.disable();
  }

  function describe({ id, method, target, traceparent, at }) {
    return { id, method, target, traceparent, at: micros(at) };
  }

  function markOf(id) {
    let mark = marks.get(id);
    if (mark === undefined) {
      mark = { passes: 0, hits: 0, errors: 0, first: '', ticks: 0, dropped: 0, told: 0, from: 0, inWindow: 0, now: 0 };
      mark.rule = undefined;
      mark.only = undefined;
      mark.limits = NO_LIMITS;
      marks.set(id, mark);
    }
    return mark;
  }

  /** Whether the hit rule takes this pass, which counts. */
  function takes(mark) {
    mark.passes += 1;
    const { rule, passes: pass } = mark;
    if (rule === undefined) {
      return true;
    }
    switch (rule[0]) {
      case 'nth':
        return pass === rule[1];
      case 'every':
        return pass % rule[1] === 0;
      case 'from':
        return pass >= rule[1];
      case 'range':
        return pass >= rule[1] && pass <= rule[2];
      default:
        return true;
    }
  }

  /** Whether this hit is still within what the mark may tell in a second; what is not is counted. */
  function mayTell(mark) {
    const { limits } = mark;
    const now = performance.now();
    mark.now = now;
    if (now - mark.from >= WINDOW) {
      mark.from = now;
      mark.inWindow = 0;
    }
    if (mark.inWindow >= limits.perSecond || mark.told >= limits.inAll || now - heard > options.stall) {
      mark.dropped += 1;
      scheduleFlush();
      return false;
    }
    mark.inWindow += 1;
    mark.told += 1;
    return true;
  }

  function scheduleFlush() {
    if (flushing === undefined) {
      flushing = setTimeout(flush, FLUSH_AFTER);
      flushing.unref();
    }
  }

  function flush() {
    flushing = undefined;
    const hits = batch;
    const first = seq - hits.length + 1;
    const told = begun.length > 0 || owners.some((id) => id > 0) ? { requests: owners, begun } : {};
    const isNews = ended.length + called.length + printed.length + untold + unprinted > 0;
    const over = isNews ? { ended, called, untold, printed, unprinted } : {};
    batch = [];
    owners = [];
    begun = [];
    ended = [];
    called = [];
    untold = 0;
    printed = [];
    unprinted = 0;
    if (isAlone || deliver === undefined) {
      return;
    }
    const dropped = {};
    for (const [id, mark] of marks) {
      if (mark.dropped > 0) {
        dropped[id] = mark.dropped;
        mark.dropped = 0;
      }
    }
    if (hits.length > 0 || Object.keys(dropped).length > 0 || told.begun !== undefined || isNews) {
      deliver(JSON.stringify({ first, epoch, hits, dropped, ...told, ...over }));
    }
  }

  /** A value as it is told: short strings and integers as they are, everything else as its text and type. */
  function shown(value, limit) {
    const isShort = typeof value === 'string' ? value.length <= limit : isSafeInteger(value) && (value !== 0 || 1 / value > 0);
    return isShort ? value : [textOf(value, 0, limit), typeOf(value)];
  }

  /** A row: the mark, microseconds since we began, and what is told. */
  function push(row) {
    seq += 1;
    const request = served.getStore();
    if (request !== undefined && !request.told) {
      request.told = true;
      begun.push(describe(request));
    }
    owners.push(request === undefined ? 0 : request.id);
    batch.push(row);
    if (batch.length >= BATCH) {
      flush();
    } else {
      scheduleFlush();
    }
  }

  const computing = new Set();
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

  const helper = {
    /**
     * From now on it is known which request is served: every await costs the program some 0.4 µs for it.
     * `all`: every request is told, also one without a hit.
     */
    watch(all) {
      if (!watches) {
        watches = true;
        watchServers();
      }
      if (all === true && !tellsAll) {
        tellsAll = true;
        watchCalls();
      }
    },
    /** From now on what is printed is told, line by line. */
    listen() {
      if (!listens) {
        listens = true;
        watchOutput();
      }
    },
    /** The request that is served here, or null. */
    request() {
      const request = served.getStore();
      return request === undefined ? null : describe(request);
    },
    /** The hit rule and limits of a mark, and the requests that it is for. */
    rule(id, rule, limits, only) {
      const mark = markOf(id);
      mark.rule = rule.length > 0 ? rule : undefined;
      mark.limits = limits;
      mark.only = only ? { ...only, path: new RegExp(only.path) } : undefined;
    },
    /** Whether what is served here is of the requests that a mark is for. */
    mine(id) {
      return isFor(markOf(id), served.getStore());
    },
    /** Whether this is the first that code of the project does for a request that a mark is for. */
    first(id) {
      const request = served.getStore();
      if (request === undefined || request.met?.has(id) || !isFor(markOf(id), request)) {
        return false;
      }
      request.met = (request.met ?? new Set()).add(id);
      return true;
    },
    /** A call of a followed function begins. */
    call() {
      callNumber += 1;
      return callNumber;
    },
    /** A followed line is passed; `values`: the variables of its function by name. */
    follow(id, call, name, values) {
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
      push([id, micros(markOf(id).now), { frame: call, name, changed }]);
    },
    /** The engine computes a condition of its own. */
    tick(id) {
      markOf(id).ticks += 1;
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
      return mayTell(mark);
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
      const row = [id, round((now - began) * 1000)];
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
        push([id, round((mark.now - began) * 1000), { error: errorText(error) }]);
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
        if (!isAlone) {
          debugger;
        }
      });
    },
    /** Remembers the text that a script is to have when we are gone. */
    keep(scriptId, text) {
      pristine.set(scriptId, text);
    },
    restored(scriptId) {
      pristine.delete(scriptId);
    },
    /** The client is there. Tells the counts; false when it came too late and the splices are out. */
    beat() {
      heard = performance.now();
      if (isAlone) {
        return false;
      }
      flush();
      return [...marks].map(([id, { hits, errors, first, ticks }]) => ({ id, hits, errors, first, ticks }));
    },
    /** The client goes. What it could not take out, since it was running, is taken out as soon as that is possible. */
    leave() {
      unwatchServers();
      // Who leaves in good order closes the inspector too; it may be another client's by the time we are done.
      options.closesInspector = false;
      isAlone = true;
      restore();
    },
  };

  /** Another client has come while we were at work: it takes over what is left to be put back. */
  helper.retire = () => {
    unwatchServers();
    clearInterval(checking);
    session?.disconnect();
    delete globalThis[NAME];
    return [...pristine];
  };

  function restore() {
    try {
      if (pristine.size > 0) {
        session ??= connected();
        tries += 1;
        if (tries === 1) {
          sweep();
        } else if (tries === 3) {
          session.post('HeapProfiler.collectGarbage');
        }
        for (const [scriptId, scriptSource] of [...pristine]) {
          session.post('Debugger.setScriptSource', { scriptId, scriptSource }, (error, answer) => {
            if (error || answer.status === undefined || answer.status === 'Ok') {
              pristine.delete(scriptId);
            }
          });
        }
      }
      if (pristine.size === 0) {
        end();
      }
    } catch {
      // Tried again at the next check.
    }
  }

  /**
   * An async function that has ended counts as running until it has been collected: soon when it is young,
   * otherwise by the whole collection of the third try.
   */
  function sweep() {
    let last;
    for (let i = 0; i < 400_000; i += 1) {
      last = [i, last && last[0]];
    }
  }

  function connected() {
    const own = new inspector.Session();
    own.connect();
    own.post('Debugger.enable');
    return own;
  }

  function end() {
    unwatchServers();
    clearInterval(checking);
    session?.disconnect();
    if (globalThis[NAME] === helper) {
      delete globalThis[NAME];
    }
    if (options.closesInspector) {
      closing = setInterval(closeInspector, CLOSE_EVERY);
      closing.unref();
    }
  }

  /**
   * Closes the inspector when nobody is connected to it: `inspector.close` waits for every client to say goodbye,
   * and one that is suspended would hold the program for as long.
   */
  function closeInspector() {
    try {
      const url = inspector.url();
      if (url === undefined) {
        clearInterval(closing);
      } else if (!isConnected(Number(new URL(url).port))) {
        clearInterval(closing);
        inspector.close();
      }
    } catch {
      // Where the system does not tell, the inspector stays open for whoever attaches next.
      clearInterval(closing);
    }
  }

  /** Whether a client that says nothing is connected still: it is suspended, or very slow, and will go on. */
  function isClientThere() {
    try {
      const url = inspector.url();
      return url !== undefined && isConnected(Number(new URL(url).port));
    } catch {
      return false;
    }
  }

  /** Whether a connection to one of our ports is established (proc_net(5): state 01). */
  function isConnected(port) {
    const local = `:${port.toString(16).toUpperCase().padStart(4, '0')}`;
    return ['tcp', 'tcp6']
      .filter((name) => existsSync(`/proc/self/net/${name}`) || name === 'tcp')
      .flatMap((name) => readFileSync(`/proc/self/net/${name}`, 'utf8').split('\n').slice(1))
      .map((line) => line.trim().split(/\s+/))
      .some(([, address = '', , state]) => address.endsWith(local) && state === '01');
  }

  const checking = setInterval(() => {
    const silence = performance.now() - heard;
    if (!isAlone && silence > options.patience && (silence > options.longest || !isClientThere())) {
      isAlone = true;
    }
    checksLeft -= 1;
    if (isAlone && checksLeft <= 0) {
      restore();
      checksApart = Math.min(checksApart * 2, MOST_CHECKS);
      checksLeft = checksApart;
    }
  }, CHECK_EVERY);
  checking.unref();

  Object.defineProperty(globalThis, NAME, { value: helper, configurable: true, enumerable: false });
  return true;
})
