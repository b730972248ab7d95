/** What `amber check` has found out about one thing. */
export interface Finding {
  /** `wrong`: something that is asked for will not work. `note`: good to know; not everything is possible here. */
  state: 'good' | 'note' | 'wrong';
  /** What was looked at, in a word or two: `python3`, `run folder`, `mark 2`. */
  what: string;
  /** What was found, as half a sentence or a sentence. */
  found: string;
  /** The one command, or the one edit, that mends it. */
  remedy?: string;
}

/** What was found in one place: this machine, this project, one target. */
export interface Section {
  title: string;
  findings: Finding[];
}

export const good = (what: string, found: string): Finding => ({ state: 'good', what, found });

export const note = (what: string, found: string, remedy?: string): Finding => ({
  state: 'note',
  what,
  found,
  ...(remedy ? { remedy } : {}),
});

export const wrong = (what: string, found: string, remedy?: string): Finding => ({
  state: 'wrong',
  what,
  found,
  ...(remedy ? { remedy } : {}),
});

/** Whether something that is asked for will not work. */
export function isWrong(sections: readonly Section[]): boolean {
  return sections.some(({ findings }) => findings.some(({ state }) => state === 'wrong'));
}
