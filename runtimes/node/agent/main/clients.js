/*
 * The ways by which a Node program sends requests: `fetch`, and node:http with what stands on it. It is one expression,
 * evaluated together with helper.js.
 */
((require) => {
  'use strict';
  const { Array, Buffer, Headers, Reflect, Request, String, URLSearchParams, WeakMap } = globalThis;

  return (sends, replace) => {
    const { ClientRequest } = require('node:http');
    /** By request of node:http what has been written of its body, and what was told of it. */
    const bodies = new WeakMap();
    const told = new WeakMap();

    const note = (request, piece, encoding) => {
      if (piece !== undefined && piece !== null && typeof piece !== 'function') {
        const pieces = bodies.get(request) ?? [];
        bodies.set(request, pieces);
        pieces.push(Buffer.from(piece, typeof encoding === 'string' ? encoding : undefined));
      }
    };
    replace(
      ClientRequest.prototype,
      'write',
      (before) =>
        function (piece, encoding) {
          if (!told.has(this)) note(this, piece, encoding);
          return Reflect.apply(before, this, arguments);
        },
    );
    replace(
      ClientRequest.prototype,
      'end',
      (before) =>
        function (piece, encoding) {
          if (!told.has(this)) {
            note(this, piece, encoding);
            told.set(
              this,
              sends.begins(() => ({
                method: this.method,
                url: `${this.protocol}//${this.getHeader('host') ?? this.host}${this.path}`,
                headers: Object.entries(this.getHeaders()),
                body: bodies.has(this) ? Buffer.concat(bodies.get(this)).toString() : undefined,
              })),
            );
            bodies.delete(this);
          }
          return Reflect.apply(before, this, arguments);
        },
    );
    replace(
      ClientRequest.prototype,
      'emit',
      (before) =>
        function (event, response) {
          if (event === 'response') sends.answered(told.get(this), response?.statusCode);
          return Reflect.apply(before, this, arguments);
        },
    );
    sends.watchFetch(ofFetch);
  };

  function ofFetch(input, init) {
    const request = input instanceof Request ? input : undefined;
    const headers = new Headers(init?.headers ?? request?.headers);
    return {
      method: init?.method ?? request?.method ?? 'GET',
      url: request?.url ?? String(input),
      headers: Array.from(headers),
      body: textOf(init?.body),
    };
  }

  function textOf(body) {
    if (body instanceof URLSearchParams) {
      return String(body);
    }
    return typeof body === 'string' || !(body instanceof Uint8Array) ? body : Buffer.from(body).toString();
  }
})
