/* What a page writes to its console the engine tells by itself. One expression, evaluated together with the helper. */
(() => () => undefined)
