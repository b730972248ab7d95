/*
 * Whether a document has a script of an address checked against what it must be (integrity), and the letters it is written in.
 * One expression, evaluated in the page while that script is on its way. Of frames of other documents those are looked at that
 * can be; what cannot is taken to check.
 */
((url, isOwn) => {
  'use strict';
  const isIn = ({ document }) => {
    const elements = [...document.querySelectorAll('script[integrity],link[integrity]')];
    const maps = [...document.querySelectorAll('script[type=importmap]')];
    return (
      elements.some(({ src, href }) => src === url || href === url) ||
      maps.some(({ textContent }) => textContent.includes('"integrity"'))
    );
  };
  const isAnywhere = (place) => {
    try {
      return isIn(place) || Array.from(place.frames).some(isAnywhere);
    } catch {
      return true;
    }
  };
  return [isOwn ? isIn(globalThis) : isAnywhere(globalThis), globalThis.document.characterSet];
})
