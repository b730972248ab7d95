/*
 * The address of the document that is shown, if it came whole within some milliseconds; else nothing. One expression, evaluated
 * in the page.
 */
((most) => {
  'use strict';
  const [{ responseStart, responseEnd }] = performance.getEntriesByType('navigation');
  return responseEnd > 0 && responseEnd - responseStart < most ? location.href.split('#')[0] : '';
})
