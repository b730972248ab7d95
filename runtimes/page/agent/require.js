/*
 * What stands in a page for those modules of Node that the helper asks for. One expression: a function that gives a module.
 * A proxy cannot be told from other objects here: what is shown of one passes its traps.
 */
((scope) => {
  'use strict';
  const { performance, setTimeout, Map, Set, Date, Error, RegExp, Promise, ArrayBuffer } = scope;
  const is = (type) => (value) => value instanceof type;
  const modules = {
    'node:perf_hooks': { performance },
    'node:timers': { setImmediate: (work) => setTimeout(work, 0) },
    'node:process': { cpuUsage: () => ({ user: 0, system: 0 }) },
    'node:util': {
      types: {
        isProxy: () => false,
        isMap: is(Map),
        isSet: is(Set),
        isDate: is(Date),
        isNativeError: is(Error),
        isRegExp: is(RegExp),
        isPromise: is(Promise),
        isTypedArray: ArrayBuffer.isView,
      },
    },
  };
  return (name) => modules[name];
})(globalThis)
