/*
 * Jobs of workers, which are to them what requests are to servers: known under the method `JOB` and the path of their queue
 * and name. It is one expression, evaluated together with helper.js.
 */
((require, served) => {
  'use strict';
  const { Object, Reflect, String } = globalThis;
  /** Where BullMQ has its class of workers. */
  const BULLMQ = /[\\/]bullmq[\\/]dist[\\/]cjs[\\/]classes[\\/]worker\.js$/;
  const looked = new globalThis.Set();

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

  /** Watches each kind of worker that the program has loaded, once. */
  return () => {
    const modules = require('node:module')._cache;
    for (const path of Object.keys(modules)) {
      if (BULLMQ.test(path) && !looked.has(path)) {
        looked.add(path);
        const prototype = modules[path].exports?.Worker?.prototype;
        if (typeof prototype?.callProcessJob === 'function') {
          watchWorkers(prototype);
        }
      }
    }
  };
})
