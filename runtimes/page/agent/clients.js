/*
 * The ways by which a page sends requests: `fetch`, XMLHttpRequest, and beacons. It is one expression, evaluated together
 * with the helper.
 */
(() => {
  'use strict';
  const { Array, FormData, Headers, Object, Reflect, Request, String, URL, URLSearchParams, WeakMap } = globalThis;
  const whole = (address) => new URL(String(address), globalThis.document?.baseURI ?? globalThis.location.href).href;

  return (sends, replace) => {
    sends.watchFetch(ofFetch);
    const { navigator, XMLHttpRequest } = globalThis;
    if (navigator?.sendBeacon !== undefined) {
      replace(
        Object.getPrototypeOf(navigator),
        'sendBeacon',
        (before) =>
          function (address, body) {
            sends.begins(() => ({ method: 'POST', url: whole(address), headers: [], body: textOf(body) }));
            return Reflect.apply(before, this, arguments);
          },
      );
    }
    if (XMLHttpRequest !== undefined) {
      watchXhr(XMLHttpRequest.prototype);
    }

    function watchXhr(prototype) {
      const asked = new WeakMap();
      replace(
        prototype,
        'open',
        (before) =>
          function (method, address) {
            asked.set(this, { method, url: address, headers: [] });
            return Reflect.apply(before, this, arguments);
          },
      );
      replace(
        prototype,
        'setRequestHeader',
        (before) =>
          function (name, value) {
            asked.get(this)?.headers.push([name, value]);
            return Reflect.apply(before, this, arguments);
          },
      );
      replace(
        prototype,
        'send',
        (before) =>
          function (body) {
            const request = asked.get(this);
            if (request !== undefined) {
              const made = sends.begins(() => ({ ...request, url: whole(request.url), body: textOf(body) }));
              if (sends.wantsAnswers()) this.addEventListener('load', () => sends.answered(made, this.status), { once: true });
            }
            return Reflect.apply(before, this, arguments);
          },
      );
    }
  };

  function ofFetch(input, init) {
    const request = input instanceof Request ? input : undefined;
    return {
      method: init?.method ?? request?.method ?? 'GET',
      url: request?.url ?? whole(input),
      headers: Array.from(new Headers(init?.headers ?? request?.headers)),
      body: textOf(init?.body),
    };
  }

  /** A form as what it holds; files, buffers and streams as they are. */
  function textOf(body) {
    if (body instanceof FormData) {
      return Object.fromEntries(body);
    }
    return body instanceof URLSearchParams ? String(body) : body;
  }
})
