/*
 * Which passes of a mark count: those that its hit rule takes, of the requests that it is for. One expression: a function
 * that gives both.
 */
(() => {
  'use strict';

  /** Whether the hit rule takes this pass, which counts. */
  function takes(mark) {
    mark.passes += 1;
    const { rule, passes: pass } = mark;
    if (rule === undefined) {
      return true;
    }
    switch (rule[0]) {
      case 'nth':
        return pass === rule[1];
      case 'every':
        return pass % rule[1] === 0;
      case 'from':
        return pass >= rule[1];
      case 'range':
        return pass >= rule[1] && pass <= rule[2];
      default:
        return true;
    }
  }

  /** Whether what is served here, if anything, is of the requests that a mark is for. */
  function isFor({ only }, request) {
    if (only === undefined || request === undefined) {
      return only === undefined;
    }
    const target = only.whole ? request.target : request.target.split('?', 1)[0];
    return (
      (only.method === '*' || only.method === request.method.toUpperCase()) &&
      only.path.test(target) &&
      (only.name === null || request.headers?.[only.name] === only.value)
    );
  }

  return { takes, isFor };
})
