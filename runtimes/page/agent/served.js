/*
 * A page serves no requests; what is done for an event of its document is to it what a request is to a server, and known under
 * the method `EVENT`. From the first listener on, what continues after an answer, a timer or a frame belongs to the event it
 * has come from; what has come from elsewhere belongs to none. One expression, evaluated together with the helper.
 */
((_require, _aside, tell) => {
  'use strict';
  const { performance, MessageChannel, Object, Reflect, Set, Uint8Array, WeakMap, crypto, document, location } = globalThis;
  /** Events by which people, and the document itself, set a page going. */
  const KINDS = [
    'click', 'dblclick', 'auxclick', 'contextmenu', 'submit', 'reset', 'input', 'change', 'keydown', 'keyup', 'paste', 'drop',
    'popstate', 'hashchange', 'storage', 'online', 'offline', 'visibilitychange', 'pageshow',
  ];
  /** Characters of an element that are told. */
  const MOST = 60;
  const nothing = () => undefined;
  const owners = new WeakMap();
  const undos = [];
  let count = 0;
  let isWatching = false;
  let isOver = false;
  /** What the document's own scripts are run for, until it is loaded. */
  let loading;
  /** What this turn of the event loop is done for. */
  let now;
  /** Those of which it is to be seen whether all that they have set going is over. */
  const open = new Set();
  let turn;

  /** The rest of this turn, with what follows in it at once, is done for an event. */
  function take(known) {
    if (known !== undefined && !isOver) {
      now = known;
      open.add(known);
      turn.port2.postMessage(0);
    }
  }

  /** Another turn has begun. */
  function turned() {
    now = undefined;
    for (const known of open) {
      open.delete(known);
      if (known.under === 0 && known.told && !known.isEnded) {
        known.isEnded = true;
        tell.ended(known, 0);
      }
    }
  }

  const hex = (bytes) => {
    let text = '';
    for (const byte of crypto.getRandomValues(new Uint8Array(bytes))) {
      text += (byte + 256).toString(16).slice(1);
    }
    return text;
  };

  function begin(target) {
    count += 1;
    const known = { id: count, method: 'EVENT', target, at: performance.now(), under: 0, told: false, trace: hex(16) };
    known.traceparent = `00-${known.trace}-${hex(8)}-01`;
    return known;
  }

  function nameOf(target) {
    if (typeof target?.tagName !== 'string') {
      return target === document ? 'document' : target === globalThis ? 'window' : typeof target;
    }
    const { id, classList } = target;
    const classes = [...(classList ?? [])].map((name) => `.${name}`).join('');
    return `${target.tagName.toLowerCase()}${typeof id === 'string' && id !== '' ? `#${id}` : ''}${classes}`.slice(0, MOST);
  }

  /** Runs at the window, before any other listener of an event. */
  function met(event) {
    try {
      if (!owners.has(event)) {
        // One that the code of another causes belongs to that.
        owners.set(event, now ?? begin(`${event.type} on ${nameOf(event.target)}`));
      }
      take(owners.get(event));
    } catch {
      // The page's own listeners run all the same.
    }
  }

  /** What code that runs now is done for; in a listener of what has been sent, what it was sent for. */
  function current() {
    const { event } = globalThis;
    const own = event && (owners.get(event) ?? owners.get(event.target));
    return own ?? now ?? loading;
  }

  /** Something goes on for an event until the function that this gives is called, in whose turn it continues. */
  function under(known) {
    if (known === undefined) {
      return nothing;
    }
    known.under += 1;
    let isOpen = true;
    return () => {
      if (isOpen) {
        isOpen = false;
        known.under -= 1;
        take(known);
      }
    };
  }

  function replace(object, name, make) {
    const had = Object.getOwnPropertyDescriptor(object, name);
    const before = object[name];
    if (typeof before !== 'function' || had === undefined || !had.configurable || !('value' in had)) {
      return;
    }
    const value = Object.defineProperty(make(before), 'name', { value: before.name });
    Object.defineProperty(object, name, { ...had, value });
    undos.push(() => {
      // Whoever has replaced ours since keeps what is theirs.
      if (object[name] === value) {
        Object.defineProperty(object, name, had);
      }
    });
  }

  /** A function that is given a callback: what that does is done for what gives it. */
  const carrying = (before) =>
    function (work, ...rest) {
      const known = isOver ? undefined : current();
      if (typeof work !== 'function' || known === undefined) {
        return Reflect.apply(before, this, arguments);
      }
      const carried = function () {
        take(known);
        return Reflect.apply(work, this, arguments);
      };
      return Reflect.apply(before, this, [carried, ...rest]);
    };

  return {
    /** From now on it is known for which event something is done. */
    watch() {
      if (isWatching || document === undefined) {
        return;
      }
      isWatching = true;
      turn = new MessageChannel();
      turn.port1.onmessage = turned;
      for (const kind of KINDS) {
        globalThis.addEventListener(kind, met, true);
      }
      undos.push(() => KINDS.forEach((kind) => globalThis.removeEventListener(kind, met, true)));
      for (const name of ['setTimeout', 'requestAnimationFrame', 'requestIdleCallback']) {
        replace(globalThis, name, carrying);
      }
      if (document.readyState !== 'complete') {
        loading = begin(`load of ${location.pathname}`);
        const done = under(loading);
        const loaded = () => {
          loading = undefined;
          done();
        };
        globalThis.addEventListener('load', loaded, { once: true });
        undos.push(() => globalThis.removeEventListener('load', loaded));
      }
    },
    current: () => (isWatching && !isOver ? current() : undefined),
    begun: (known) => {
      if (!known.told) tell.begun(known);
    },
    under,
    owners,
    hex,
    replace,
    undo() {
      isOver = true;
      now = undefined;
      turn?.port1.close();
      for (const step of undos.splice(0).reverse()) {
        step();
      }
    },
    hold: async () => true,
    isBusy: () => false,
    underWay: () => 0,
    release: nothing,
    onUndo: (step) => undos.push(step),
  };
})
