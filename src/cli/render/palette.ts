import picocolors from 'picocolors';

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

export function makePalette(colour: boolean): Palette {
  const pc = picocolors.createColors(colour);
  return {
    strong: pc.bold,
    faint: pc.dim,
    place: pc.cyan,
    value: pc.yellow,
    next: (text) => pc.bold(pc.yellow(text)),
    good: pc.green,
    waiting: pc.magenta,
    bad: pc.red,
  };
}
