/*
 * A page serves no requests: what the helper asks of them has the answers of a program that serves none. One expression,
 * evaluated together with the helper.
 */
(() => {
  'use strict';
  const nothing = () => undefined;
  return {
    watch: nothing,
    hold: async () => true,
    isBusy: () => false,
    underWay: () => 0,
    release: nothing,
    current: nothing,
    undo: nothing,
    onUndo: nothing,
    replace: nothing,
  };
})
