/** `1,200`, in the way that all numbers of the page are written. */
export const number = (count: number): string => count.toLocaleString('en');

export const countOf = (count: number, one: string, many = `${one}s`): string =>
  `${number(count)} ${count === 1 ? one : many}`;

export function duration(milliseconds: number | null): string {
  if (milliseconds === null) {
    return '';
  }
  if (milliseconds < 1) {
    return `${Math.round(milliseconds * 1000)} µs`;
  }
  return milliseconds < 1_000 ? `${milliseconds.toFixed(1)} ms` : `${(milliseconds / 1000).toFixed(2)} s`;
}

/** The same for an axis, whose numbers are round. */
export function shortDuration(milliseconds: number): string {
  if (milliseconds < 1) {
    return `${number(milliseconds * 1000)} µs`;
  }
  return milliseconds < 1_000 ? `${number(milliseconds)} ms` : `${number(milliseconds / 1000)} s`;
}

/** Seconds since the trail began. */
export const seconds = (at: number): string => `${(at / 1000).toFixed(2)} s`;

export const baseName = (path: string): string => path.split('/').pop() ?? path;

/** A colour of the style sheet, for what is drawn. */
export function shade(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}
