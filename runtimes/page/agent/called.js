/* A page serves no requests that could ask another service. One expression, evaluated together with the helper. */
(() => () => undefined)
