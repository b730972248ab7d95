/*
 * Which other services a request asks, and in which span (W3C Trace Context): Node tells of requests that it sends, by
 * channels that anybody may listen to. It is one expression, evaluated together with helper.js.
 */
((require, served, note) => {
  'use strict';
  const { Array, Object } = globalThis;

  /** The header of a request of undici's (fetch): its headers are a list of names and values, or text. */
  function headerOfFetch({ headers }) {
    if (typeof headers === 'string') {
      return /^traceparent: *(\S+)/im.exec(headers)?.[1];
    }
    const isIt = (name, index) => index % 2 === 0 && `${name}`.toLowerCase() === 'traceparent';
    const at = Array.isArray(headers) ? headers.findIndex(isIt) : -1;
    return at < 0 ? undefined : `${headers[at + 1]}`;
  }

  return () => {
    const { subscribe, unsubscribe } = require('node:diagnostics_channel');
    const listeners = {
      'http.client.request.start': ({ request }) => note(request.getHeader('traceparent')),
      'undici:request:create': ({ request }) => note(headerOfFetch(request)),
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
      served.onUndo(() => unsubscribe(name, safely));
    }
  };
})
