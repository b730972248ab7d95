/* A page has no queues of Node's that could be met in a wrong moment. One expression, evaluated together with the helper. */
(() => (work) => work())
