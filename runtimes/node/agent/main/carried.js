/*
 * What the request that is served carries, and what has been answered so far. It is one expression, evaluated together with
 * helper.js.
 */
((served) => {
  'use strict';
  const { Object, String, Array, decodeURIComponent } = globalThis;

  /**
   * What the request that is served here carries, as far as the server has read it; of its body only what the program
   * has made of it (`body`, `params`, as parsers of bodies and routers leave them).
   */
  function carried() {
    const parts = asked((values) => values);
    const found = Object.entries(parts ?? {}).filter(([, value]) => value !== undefined);
    return parts && Object.assign(Object.fromEntries(found), { headers: { ...parts.headers } });
  }

  /** The same, each part read when it is asked for. `veiled`: what is done to values that have names of the request's own. */
  function asked(veiled) {
    const { known, asked: message } = served.exchange() ?? {};
    if (known === undefined) {
      return undefined;
    }
    const target = String(known.target);
    const at = target.indexOf('?');
    const ofProgram = (name) => {
      const own = message && Object.getOwnPropertyDescriptor(message, name);
      return own !== undefined && 'value' in own && own.value !== undefined ? veiled(own.value, name) : undefined;
    };
    return {
      method: known.method,
      path: at < 0 ? target : target.slice(0, at),
      get query() {
        return veiled(valuesOf(at < 0 ? '' : target.slice(at + 1), '&', (text) => text.replaceAll('+', ' ')), 'query');
      },
      get headers() {
        return veiled(known.headers, 'headers');
      },
      get cookies() {
        const { cookie } = known.headers;
        return cookie === undefined ? undefined : veiled(valuesOf(String(cookie), /;\s*/, (text) => text), 'cookies');
      },
      get params() {
        return ofProgram('params');
      },
      get body() {
        return ofProgram('body');
      },
    };
  }

  /** Names and values of a text like `a=1&b=2`; of one name several as a list. */
  function valuesOf(text, between, plain) {
    const found = {};
    for (const part of text.split(between).filter(Boolean)) {
      const at = part.indexOf('=');
      const [name, value] = [at < 0 ? part : part.slice(0, at), at < 0 ? '' : part.slice(at + 1)].map((each) => decoded(plain(each)));
      const before = Object.getOwnPropertyDescriptor(found, name)?.value;
      const all = before === undefined ? value : [...(Array.isArray(before) ? before : [before]), value];
      Object.defineProperty(found, name, { value: all, enumerable: true, writable: true, configurable: true });
    }
    return found;
  }

  function decoded(text) {
    try {
      return decodeURIComponent(text);
    } catch {
      return text;
    }
  }

  /** What has been answered so far of the request that is served here. */
  function answered() {
    const { answer, known } = served.exchange() ?? {};
    if (answer === undefined || answer === null) {
      return undefined;
    }
    const isStream = answer.respond !== undefined;
    const headers = { ...(isStream ? answer.sentHeaders : answer.getHeaders?.()) };
    const body = served.bodyOf(known);
    return {
      status: isStream ? answer.sentHeaders?.[':status'] : answer.statusCode,
      headers,
      sent: answer.headersSent === true,
      // What is compressed has no text.
      ...(body && { body: headers['content-encoding'] === undefined ? body.toString() : body }),
    };
  }

  return { carried, asked, answered };
})
