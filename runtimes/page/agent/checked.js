/*
 * Whether a document has a script of an address checked against what it must be (integrity), the letters it is written in, and
 * whether that is known yet: a browser asks for scripts before it has read as far as where they stand. One expression,
 * evaluated in the page while that script is on its way. Of frames of other documents those are looked at that can be; what
 * cannot is taken to check.
 */
((url, isOwn) => {
  'use strict';
  const names = ({ src, href }) => src === url || href === url;
  const checksIn = ({ document }) => {
    const elements = [...document.querySelectorAll('script[integrity],link[integrity]')];
    const maps = [...document.querySelectorAll('script[type=importmap]')];
    return elements.some(names) || maps.some(({ textContent }) => textContent.includes('"integrity"'));
  };
  const knowsIn = ({ document }) =>
    document.readyState !== 'loading' || [...document.querySelectorAll('script[src],link[href]')].some(names);
  const places = (place) => {
    try {
      return [place.document && place, ...Array.from(place.frames).flatMap(places)];
    } catch {
      return [undefined];
    }
  };
  const all = isOwn ? [globalThis] : places(globalThis);
  const isChecked = all.some((place) => place === undefined || checksIn(place));
  return [isChecked, globalThis.document.characterSet, isChecked || all.some((place) => knowsIn(place))];
})
