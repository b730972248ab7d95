/*
 * The way from a page to the client: a function that the engine gives us. When the client has not been heard of for so long
 * that it must be gone, the helper goes too. One expression, evaluated together with the helper.
 */
((scope, name) => {
  'use strict';
  const { performance, setInterval, clearInterval, JSON, Reflect } = scope;
  /** Milliseconds without a sign of life after which nothing more is told, and after which the helper goes. */
  const SILENCE = 5_000;
  const GONE = 20_000;
  const HELPER = '$amberLantern';
  const deliver = scope[name];
  Reflect.deleteProperty(scope, name);
  let heard = performance.now();
  const silent = () => performance.now() - heard;
  const timer = setInterval(() => {
    if (silent() > GONE) {
      clearInterval(timer);
      scope[HELPER]?.leave();
    }
  }, SILENCE);
  /** A document that goes tells first what it still has to tell. */
  const leaving = () => {
    way.flush?.();
    deliver(JSON.stringify({ counts: way.counts?.() ?? [] }));
  };
  const way = {
    send: (text) => deliver(text),
    isFull: () => silent() > SILENCE,
    hot: (number) => deliver(`{"hot":${number}}`),
    measures: false,
    flush: undefined,
    beat() {
      heard = performance.now();
    },
    end() {
      clearInterval(timer);
      scope.removeEventListener?.('pagehide', leaving);
    },
  };
  scope.addEventListener?.('pagehide', leaving);
  return way;
})
