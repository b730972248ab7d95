/*
 * Which services an event of a page asks, and in which span (W3C Trace Context). A page sends no `traceparent` by itself: it
 * is put into what goes to the origins that are named for that, since it may need their consent (a preflight). One expression,
 * evaluated together with the helper.
 */
((_require, served, note, origins) => {
  'use strict';
  const { Array, Headers, Reflect, Request, Response, String, Symbol, URL, XMLHttpRequest, document, location } = globalThis;
  const asked = Symbol('amber');
  const whole = (address) => new URL(String(address), document?.baseURI ?? location.href);

  /** The header for a request that is sent now; undefined where it is to have none. */
  function headerFor(known, address) {
    if (known === undefined || !origins.includes(whole(address).origin)) {
      return undefined;
    }
    served.begun(known);
    const header = `00-${known.trace}-${served.hex(8)}-01`;
    note(header);
    return header;
  }

  /** The answer as it is, after which the turn goes on for what has asked. */
  const continued = (known, answer) => {
    if (known === undefined || typeof answer?.then !== 'function') {
      return answer;
    }
    const done = served.under(known);
    return answer.then(
      (value) => {
        done();
        return value;
      },
      (error) => {
        done();
        throw error;
      },
    );
  };

  function watchFetch(before) {
    return function (input, init) {
      const known = served.current();
      const args = Array.from(arguments);
      try {
        const request = input instanceof Request ? input : undefined;
        const header = (init?.mode ?? request?.mode) === 'no-cors' ? undefined : headerFor(known, request?.url ?? input);
        const headers = header && new Headers(init?.headers ?? request?.headers);
        if (headers && !headers.has('traceparent')) {
          headers.set('traceparent', header);
          args[1] = { ...init, headers };
        }
      } catch {
        // What is sent goes out as it is.
      }
      return continued(
        known,
        Reflect.apply(before, this ?? globalThis, args).then((response) => {
          if (known !== undefined) served.owners.set(response, known);
          return response;
        }),
      );
    };
  }

  /** What reads an answer takes a turn of its own. */
  const watchBody = (before) =>
    function () {
      return continued(served.owners.get(this) ?? served.current(), Reflect.apply(before, this, arguments));
    };

  function watchXhr(prototype) {
    served.replace(
      prototype,
      'open',
      (before) =>
        function (_method, address) {
          this[asked] = { address, hasHeader: false };
          return Reflect.apply(before, this, arguments);
        },
    );
    served.replace(
      prototype,
      'setRequestHeader',
      (before) =>
        function (name) {
          if (this[asked] && String(name).toLowerCase() === 'traceparent') this[asked].hasHeader = true;
          return Reflect.apply(before, this, arguments);
        },
    );
    served.replace(
      prototype,
      'send',
      (before) =>
        function () {
          try {
            const known = served.current();
            const { address, hasHeader = true } = this[asked] ?? {};
            const header = hasHeader ? undefined : headerFor(known, address);
            if (header) this.setRequestHeader('traceparent', header);
            if (known !== undefined) {
              // Its listeners run for the same event.
              served.owners.set(this, known);
              this.addEventListener('loadend', served.under(known), { once: true });
            }
          } catch {
            // What is sent goes out as it is.
          }
          return Reflect.apply(before, this, arguments);
        },
    );
  }

  return () => {
    served.replace(globalThis, 'fetch', watchFetch);
    for (const name of ['json', 'text', 'blob', 'arrayBuffer', 'formData', 'bytes']) {
      served.replace(Response.prototype, name, watchBody);
    }
    if (XMLHttpRequest !== undefined) {
      watchXhr(XMLHttpRequest.prototype);
    }
  };
})
