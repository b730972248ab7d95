import { rendition } from './visible.js';

/** Colours by meaning. Without colour every one of them gives its text back. */
export interface Palette {
  strong(text: string): string;
  faint(text: string): string;
  place(text: string): string;
  value(text: string): string;
  next(text: string): string;
  good(text: string): string;
  waiting(text: string): string;
  bad(text: string): string;
}

/** Whether to colour: FORCE_COLOR and NO_COLOR decide, else whether it is a terminal. */
export function wantsColour(environment: NodeJS.ProcessEnv, isTerminal: boolean): boolean {
  if (environment.NO_COLOR) {
    return false;
  }
  if (environment.FORCE_COLOR) {
    return environment.FORCE_COLOR !== '0';
  }
  return isTerminal && environment.TERM !== 'dumb';
}

/** What ends bold and faint, and any colour (ECMA-48, 8.3.117). */
const NORMAL = 22;
const DEFAULT = 39;

/** @param colour whether there is any; text is to pass `visible` before it is written */
export function makePalette(colour: boolean): Palette {
  const style = (begin: number, end: number) => {
    const [open, close] = [rendition(begin), rendition(end)];
    // Another style of ours inside may have ended this one, too.
    return (text: string) => (colour ? `${open}${text.replaceAll(close, close + open)}${close}` : text);
  };
  const strong = style(1, NORMAL);
  const value = style(33, DEFAULT);
  return {
    strong,
    faint: style(2, NORMAL),
    place: style(36, DEFAULT),
    value,
    next: (text) => strong(value(text)),
    good: style(32, DEFAULT),
    waiting: style(35, DEFAULT),
    bad: style(31, DEFAULT),
  };
}
