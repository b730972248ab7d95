import { namesIn } from '../code.js';

/** Something that is kept, and the key as it is written. */
export interface Kept {
  /** What it is kept in. */
  holder: string;
  key: string;
}

/** What is kept unless it is there already; or, where it is called so, at all. */
const KEEPS = [
  /(?<holder>[$@\w.>:-]+)\[(?<key>[^\]]+)\]\s*(?:\|\||\?\?)=/,
  /(?<holder>[$@\w.>:-]+)\.setdefault\(\s*(?<key>[^,()]+)/,
  /(?<holder>[$@\w.>:-]*(?:cache|memo|kept|known|made)\w*)\[(?<key>[^\]]+)\]\s*=(?!=)/i,
  /(?<holder>[$@\w.>:-]*(?:cache|memo|kept|known|made)\w*)\.(?:set|fetch)\(\s*(?<key>[^,()]+)/i,
];

/** Whether something is kept already: `if key in self._known:`, `if (cache.has(key)) {`, `if (isset($kept[$key])) {`. */
const ASKS = [
  /\bif\s+(?<key>[\w.]+)\s+in\s+(?<holder>[$@\w.>:-]+)\s*:/,
  /\bif\s*\(?\s*(?<holder>[$@\w.>:-]+?)\.(?:has|key\?|include\?|includes)\(\s*(?<key>[^()]+)\)/,
  /\bif\s*\(\s*isset\(\s*(?<holder>[$@\w.>:-]+)\[(?<key>[^\]]+)\]/,
  /\bif\s*\(\s*array_key_exists\(\s*(?<key>[^,]+),\s*(?<holder>[$@\w.>:-]+)\)/,
];

/**
 * What a line keeps for later, and under which key; undefined where it does not.
 * @param next the line below: where a line asks whether something is kept, that has to give it
 */
export function keptAt(source: string, next: string): Kept | undefined {
  const asked = ASKS.map((form) => found(form, source)).find((kept) => kept && next.includes(kept.holder));
  return asked ?? KEEPS.map((form) => found(form, source)).find((kept) => kept !== undefined);
}

function found(form: RegExp, source: string): Kept | undefined {
  const { holder = '', key = '' } = form.exec(source)?.groups ?? {};
  return holder !== '' && namesIn(key).size > 0 ? { holder, key: key.trim() } : undefined;
}
