/*
 * Jobs of workers, which are to them what requests are to servers: known under the method `JOB` and the path of their queue
 * and name. It is one expression, evaluated together with helper.js.
 */
((require, served) => {
  'use strict';
  const { Object, Reflect, String } = globalThis;
  /** Where BullMQ has its class of workers. */
  const BULLMQ = /[\\/]bullmq[\\/]dist[\\/]cjs[\\/]classes[\\/]worker\.js$/;
  /** Files of modules that have been looked at. */
  let looked = 0;

  function requestOf({ id, name, queueName, attemptsMade, data }) {
    const headers = { id: String(id), queue: String(queueName), attempts: String(attemptsMade) };
    return { method: 'JOB', target: `/${queueName}/${name}`, traceparent: null, headers, body: data };
  }

  function watchWorkers(prototype) {
    const before = prototype.callProcessJob;
    served.replace(prototype, 'callProcessJob', function callProcessJob(job) {
      return served.work(() => requestOf(job), () => Reflect.apply(before, this, arguments));
    });
  }

  const watched = new globalThis.Set();

  /** Watches each kind of worker that the program has loaded, once. Only modules that have come since are looked at. */
  return () => {
    const modules = require('node:module')._cache;
    const paths = Object.keys(modules);
    const from = paths.length < looked ? 0 : looked;
    looked = paths.length;
    for (const path of paths.slice(from)) {
      if (BULLMQ.test(path) && !watched.has(path)) {
        watched.add(path);
        const prototype = modules[path].exports?.Worker?.prototype;
        if (typeof prototype?.callProcessJob === 'function') {
          watchWorkers(prototype);
        }
      }
    }
  };
})
