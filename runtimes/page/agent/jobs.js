/* A page has no workers of queues. One expression, evaluated together with the helper. */
(() => () => undefined)
