/*
 * What is told to the client: hits, requests and lines of output, collected for some milliseconds and sent together by `way`.
 * One expression: a function that gives what collects.
 */
((performance, way, marks, current) => {
  'use strict';
  // What the program may replace later is taken now.
  const { setTimeout, JSON, Object, Math } = globalThis;
  const { round } = Math;
  const BATCH = 500;
  const FLUSH_AFTER = 20;
  /** Requests, and lines of output, that may wait to be told of. */
  const MOST_REQUESTS = 20_000;
  const MOST_LINES = 20_000;

  const began = performance.now();
  /** Microseconds since 1970 at that moment, by which hits of several programs are set in order. */
  const epoch = round((performance.timeOrigin + began) * 1000);
  let isOver = false;
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
  /** Whether every request is to be told, not only those with hits; and how many could not be. */
  let tellsAll = false;
  let untold = 0;
  let flushing;
  let seq = 0;

  function micros(time) {
    return round((time - began) * 1000);
  }

  function describe({ id, method, target, traceparent, at }) {
    return { id, method, target, traceparent, at: micros(at) };
  }

  function schedule() {
    if (flushing === undefined) {
      // `beat` may be evaluated, and forget the timer, in the moment in which it is there.
      const timer = setTimeout(flush, FLUSH_AFTER);
      flushing = timer;
      timer?.unref?.();
    }
  }

  function flush() {
    const text = take();
    if (text !== undefined) {
      way.send(text);
    }
  }

  /** What has not been told yet, as JSON, which counts as told now; undefined when there is nothing. */
  function take() {
    // Everything is taken before the first call of JavaScript: in each the engine may evaluate another `beat`.
    const hits = batch;
    const first = seq - hits.length + 1;
    const requests = owners;
    const begunNow = begun;
    const isNews = ended.length + called.length + printed.length + untold + unprinted > 0;
    const over = isNews ? { ended, called, untold, printed, unprinted } : {};
    flushing = undefined;
    batch = [];
    owners = [];
    begun = [];
    ended = [];
    called = [];
    untold = 0;
    printed = [];
    unprinted = 0;
    if (isOver) {
      return undefined;
    }
    // The last one stands for what follows: mostly all hits belong to the same.
    const owned = requests.every((id) => id === requests[0]) ? requests.slice(0, 1) : requests;
    const told = begunNow.length > 0 || requests.some((id) => id > 0) ? { requests: owned, begun: begunNow } : {};
    const dropped = {};
    const unread = {};
    for (const [id, mark] of marks) {
      if (mark.dropped > 0) {
        dropped[id] = mark.dropped;
        if (mark.unread > 0) {
          unread[id] = mark.unread;
        }
        mark.dropped = 0;
        mark.unread = 0;
      }
    }
    const isAnything = hits.length > 0 || Object.keys(dropped).length > 0 || told.begun !== undefined || isNews;
    return isAnything ? JSON.stringify({ first, epoch, hits, dropped, unread, ...told, ...over }) : undefined;
  }

  /** A row: the mark, microseconds since we began, and what is told. */
  function push(row) {
    const request = current();
    if (request !== undefined && !request.told) {
      request.told = true;
      begun.push(describe(request));
    }
    // No call of JavaScript in between: what has been told so far may be asked for at every one.
    seq += 1;
    owners.push(request === undefined ? 0 : request.id);
    batch.push(row);
    if (batch.length >= BATCH) {
      flush();
    } else {
      schedule();
    }
  }

  /** What the program's server does must not fail by what we note of it. */
  const quietly = (note) => (known, status) => {
    try {
      note(known, status);
    } catch {
      untold += 1;
    }
  };

  return {
    micros,
    describe,
    schedule,
    flush,
    take,
    push,
    /** A request begins. */
    begun: quietly((known) => {
      known.told = tellsAll && begun.length + ended.length < MOST_REQUESTS && !way.isFull();
      if (known.told) {
        begun.push(describe(known));
        schedule();
      } else if (tellsAll) {
        untold += 1;
      }
    }),
    /** A request has been answered. */
    ended: quietly((known, status) => {
      if (known.told) {
        ended.push([known.id, status, micros(performance.now())]);
        schedule();
      }
    }),
    /** A request asks another service, in a span of its own. */
    called(traceparent) {
      const request = current();
      const [, , span, flags] = typeof traceparent === 'string' ? traceparent.split('-') : [];
      if (request?.told && flags !== undefined && called.length < MOST_REQUESTS) {
        called.push([request.id, span]);
        schedule();
      }
    },
    /** A line of output. */
    printed(name, line) {
      if (isOver || printed.length >= MOST_LINES || way.isFull()) {
        unprinted += isOver ? 0 : 1;
        return;
      }
      printed.push([name, line, micros(performance.now()), current()?.id ?? 0]);
      schedule();
    },
    /** From now on every request is told. @returns whether it was not so before */
    tellAll() {
      const isNew = !tellsAll;
      tellsAll = true;
      return isNew;
    },
    /** From now on nothing is told any more. */
    end() {
      isOver = true;
    },
  };
})
