/*
 * Which request a Node program is serving: everything that a server does for one, awaits, timers and events included,
 * knows it. It is one expression, evaluated together with helper.js, and puts everything back that it has replaced.
 */
((require, aside, tell) => {
  'use strict';
  const { Reflect, Object, Buffer, Set, WeakMap, Promise, performance, setTimeout, setInterval, clearTimeout, clearInterval } = globalThis;
  const process = require('node:process');
  const { setImmediate } = require('node:timers');
  const { AsyncLocalStorage } = require('node:async_hooks');
  const storage = new AsyncLocalStorage();
  /** The request of an object whose events are a part of serving it. */
  const owners = new WeakMap();
  /** What came with a request, and what answers it. */
  const exchanges = new WeakMap();
  /** By connection to elsewhere: the only request that has written to it, or `NOBODY` when several have. */
  const users = new WeakMap();
  const NOBODY = {};
  /** Requests that have not been answered yet. */
  const underWay = new Set();
  /** Kinds of servers, and prototypes, that are watched. */
  const watched = new Set();
  /** By request, what has been written of its answer's body, up to `SHOWN` bytes. */
  const bodies = new WeakMap();
  const SHOWN = 65_536;
  const undos = [];
  /** Whether new requests are held, and what lets each of those go that have not begun yet. */
  let isHolding = false;
  const parked = [];
  let count = 0;
  let isOver = false;
  const LOOK_EVERY = 4;

  /** Puts `value` in the place of a method; whoever replaces ours later keeps what is theirs. */
  function replace(object, name, value) {
    const had = Object.getOwnPropertyDescriptor(object, name);
    Object.defineProperty(object, name, { value, writable: true, configurable: true, enumerable: false });
    undos.push(() => {
      if (object[name] === value) {
        delete object[name];
        if (had !== undefined) {
          Object.defineProperty(object, name, had);
        }
      }
    });
  }

  /** The events of a server are where requests begin: `request`, or `stream` for those that speak HTTP/2 themselves. */
  function watchServer(prototype) {
    const before = prototype.emit;
    replace(prototype, 'emit', function emit(event, first, second) {
      if (isOver || (event !== 'request' && event !== 'stream') || first === null || typeof first !== 'object') {
        return Reflect.apply(before, this, arguments);
      }
      if (event === 'stream') {
        // The class of HTTP/2's streams is nowhere to be had but from one of them.
        watchEvents(Object.getPrototypeOf(first));
      }
      const known = owners.get(event === 'request' ? (first.stream ?? first) : first) ?? begin(event, first, second);
      if (event === 'request') {
        owners.set(first, known);
        if (second !== null && typeof second === 'object') owners.set(second, known);
      }
      const serve = () => {
        // One that was held when we left begins as it would have: the storage is not to be brought back by it.
        if (isOver) return Reflect.apply(before, this, arguments);
        if (!known.isAnswered) underWay.add(known);
        return storage.run(known, () => Reflect.apply(before, this, arguments));
      };
      if (isHolding && !known.isHeld) {
        known.isHeld = true;
        parked.push(serve);
        // They may have been let go since: the engine may have been asked to in the middle of this.
        if (!isHolding) goOn();
        return true;
      }
      known.isHeld = true;
      // Whatever may have become of the turn in which they were to begin.
      goOn();
      return serve();
    });
  }

  function begin(event, first, second) {
    count += 1;
    const headers = (event === 'request' ? first.headers : second) ?? {};
    const known = {
      id: count,
      method: event === 'request' ? first.method : headers[':method'],
      target: event === 'request' ? first.url : headers[':path'],
      traceparent: headers.traceparent ?? null,
      headers,
      at: performance.now(),
    };
    const answer = event === 'request' ? second : first;
    exchanges.set(known, { asked: first, answer });
    const { socket } = first;
    owners.set(event === 'request' ? (first.stream ?? first) : first, known);
    if (event === 'request' && socket !== null && typeof socket === 'object' && first.stream === undefined) {
      owners.set(socket, known);
    }
    tell.begun(known);
    answer?.once?.('close', () => {
      // One that was held may be given up by its client before it has begun.
      known.isAnswered = true;
      underWay.delete(known);
      if (owners.get(socket) === known) owners.delete(socket);
      const status = event === 'request' ? (answer.headersSent ? answer.statusCode : 0) : (answer.sentHeaders?.[':status'] ?? 0);
      if (!isOver) tell.ended(known, status);
    });
    return known;
  }

  /** Does work that is no request of a server as one of its own; within another it belongs to that. */
  async function work(describe, serve) {
    if (isOver || storage.getStore() !== undefined) {
      return await serve();
    }
    const { body, ...known } = describe();
    count += 1;
    Object.assign(known, { id: count, at: performance.now() });
    exchanges.set(known, { asked: { body } });
    tell.begun(known);
    try {
      return await storage.run(known, serve);
    } finally {
      if (!isOver) tell.ended(known, 0);
    }
  }

  /** Events of a request, its answer and its connection belong to it, whoever has them come. */
  function watchEvents(prototype) {
    if (watched.has(prototype)) {
      return;
    }
    watched.add(prototype);
    const before = prototype.emit;
    replace(prototype, 'emit', function emit() {
      const known = owners.get(this) ?? users.get(this);
      if (known === undefined || isOver) {
        return Reflect.apply(before, this, arguments);
      }
      const wanted = known === NOBODY ? undefined : known;
      return storage.getStore() === wanted
        ? Reflect.apply(before, this, arguments)
        : storage.run(wanted, () => Reflect.apply(before, this, arguments));
    });
  }

  /**
   * A connection that several requests use, as those of a pool, has its events in the context of the one that opened it.
   * Which of them an event is for only the program knows: so it is for none, rather than for a wrong one.
   */
  function watchUsers(prototype) {
    const before = prototype.write;
    replace(prototype, 'write', function write() {
      if (!isOver && !owners.has(this)) {
        const user = storage.getStore() ?? NOBODY;
        const had = users.get(this);
        if (had !== user) users.set(this, had === undefined ? user : NOBODY);
      }
      return Reflect.apply(before, this, arguments);
    });
  }

  /** What the program writes of its answer is kept: the very pieces, as far as they are shown. */
  function watchAnswers(prototype, names) {
    for (const name of names) {
      const before = prototype[name];
      const written = function (piece, encoding) {
        const known = isOver ? undefined : owners.get(this);
        if (known !== undefined && piece !== undefined && piece !== null && typeof piece !== 'function') {
          note(known, piece, encoding);
        }
        return Reflect.apply(before, this, arguments);
      };
      replace(prototype, name, Object.defineProperty(written, 'name', { value: name }));
    }
  }

  function note(known, piece, encoding) {
    const body = bodies.get(known) ?? { size: 0, pieces: [] };
    bodies.set(known, body);
    if (body.size < SHOWN) {
      body.pieces.push([piece, typeof encoding === 'string' ? encoding : undefined]);
    }
    body.size += piece.length ?? 0;
  }

  /** What has been written of the answer to a request; undefined when nothing has. */
  function bodyOf(known) {
    const pieces = bodies.get(known)?.pieces.map(([piece, encoding]) => Buffer.from(piece, encoding));
    return pieces && Buffer.concat(pieces).subarray(0, SHOWN);
  }

  /** Watches each kind of server that the program has loaded, once. */
  const watch = () => aside(watchKinds);

  function watchKinds() {
    const kinds = {
      http: () => {
        const { Server, IncomingMessage, ServerResponse } = require('node:http');
        watchServer(Server.prototype);
        watchEvents(IncomingMessage.prototype);
        watchEvents(ServerResponse.prototype);
        watchAnswers(ServerResponse.prototype, ['write', 'end']);
        const { Socket } = require('node:net');
        watchEvents(Socket.prototype);
        watchUsers(Socket.prototype);
      },
      https: () => watchServer(require('node:https').Server.prototype),
      http2: () => {
        const { createServer, createSecureServer, Http2ServerRequest, Http2ServerResponse } = require('node:http2');
        for (const create of [createServer, createSecureServer]) {
          watchServer(Object.getPrototypeOf(create()));
        }
        watchEvents(Http2ServerRequest.prototype);
        watchEvents(Http2ServerResponse.prototype);
        // Its `end` writes by its `write`.
        watchAnswers(Http2ServerResponse.prototype, ['write']);
      },
    };
    for (const [name, start] of Object.entries(kinds)) {
      if (!watched.has(name) && (name === 'http' || process.moduleLoadList.includes(`NativeModule ${name}`))) {
        watched.add(name);
        start();
      }
    }
  }

  /**
   * Whether a request that came before us has not been answered yet: Node keeps its answer with the connection, as it keeps
   * what the program itself asks elsewhere.
   */
  function isOlderUnderWay() {
    const { ServerResponse } = require('node:http');
    return process
      ._getActiveHandles()
      .some((handle) => handle?._httpMessage instanceof ServerResponse && owners.get(handle) === undefined);
  }

  /**
   * Holds new requests until those under way have been answered, for `most` milliseconds at most in all.
   * @returns (a promise of) whether none is under way now; then `release` is to follow soon
   */
  function hold(most, answered) {
    watch();
    if (isHolding) {
      return Promise.resolve(false);
    }
    isHolding = true;
    return new Promise((resolve) => {
      // Timers are made in a turn of their own (aside.js).
      setImmediate(() => {
        if (!isHolding) {
          resolve(false);
          return;
        }
        const done = (isCalm) => {
          clearInterval(looking);
          clearTimeout(late);
          // What answered the last one has come to its end by then.
          setImmediate(() => resolve(isCalm && isHolding));
        };
        const looking = setInterval(() => underWay.size === 0 && !isOlderUnderWay() && done(true), LOOK_EVERY);
        const late = setTimeout(() => {
          release();
          done(false);
        }, answered);
        setTimeout(release, most);
      });
    });
  }

  function release() {
    isHolding = false;
    goOn();
  }

  /** Requests that were held begin as they would have, each in a turn of its own; none is forgotten before it has. */
  function goOn() {
    if (parked.length > 0) {
      setImmediate(() => {
        const serve = parked.shift();
        goOn();
        serve?.();
      });
    }
  }

  /** The request that is served here with what came with it and what answers it; undefined where none is. */
  function exchange() {
    const known = storage.getStore();
    return known && { known, asked: undefined, answer: undefined, ...exchanges.get(known) };
  }

  return {
    watch,
    hold,
    isBusy: () => underWay.size > 0 || isOlderUnderWay(),
    /** How many requests have begun that have not been answered. */
    underWay: () => underWay.size + parked.length,
    release,
    /** The request that is served here, if any. */
    current: () => storage.getStore(),
    work,
    exchange,
    bodyOf,
    undo() {
      isOver = true;
      release();
      for (const undo of undos.splice(0).reverse()) {
        undo();
      }
      // Where nothing is under way, neither: the hooks behind it keep a stack of what is.
      setImmediate(() => storage.disable());
    },
    /** Something else that is put back in the end. */
    onUndo: (undo) => undos.push(undo),
    replace,
  };
})
