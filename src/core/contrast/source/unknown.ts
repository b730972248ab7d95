import type { SourceText } from '../code.js';
import type { Line } from '../lines.js';
import type { Source } from '../rows.js';

/** A line that looks something up by a key which nothing has, and which stands nowhere else in the project. */
export interface UnknownKey {
  key: string;
  what: string;
  /** 0 to 1: faulty requests that run it. */
  score: number;
}

/** `rule["hazard"]`, `rule[:hazard]`, `rule.get("hazard")`, `rule.fetch(:hazard, nil)`; in JavaScript `rule.hazard` too. */
const LOOK_UPS =
  /([$@]{0,2}[A-Za-z_]\w*)(?:\[\s*(?:["']([\w-]+)["']|:(\w+))\s*\](?!\s*=(?!=))|\.(?:get|fetch|dig)\(\s*(?:["']([\w-]+)["']|:(\w+)))/g;
const MEMBERS = /(?<![\w.])([A-Za-z_]\w*)\??\.([A-Za-z_]\w*)\b(?!\s*(?:\(|=(?!=)))/g;
/** The same in what an object of its own holds: `self.rule["hazard"]`, `this.rule.hazard`, `$this->rule['hazard']`. */
const OWN =
  /(?<![\w.>])(\$?this|self)(?:\??\.|->)\w+(?:\[\s*(?:["']([\w-]+)["'])\s*\](?!\s*=(?!=))|\.get\(\s*["']([\w-]+)["'])/g;
const OWN_MEMBERS = /(?<![\w.])(this)\??\.\w+\??\.([A-Za-z_]\w*)\b(?!\s*(?:\(|=(?!=)))/g;
/** What every object and list of JavaScript has. */
const BUILT_IN = /^(?:length|size|constructor|prototype|name|message|then)$/;
const STRUCTURE = /^(?:[{[]|<\w+ )/;

/**
 * Lines that look up what is never there. In good requests it is missing as well, so that nothing tells the kinds apart;
 * but a key that nobody has ever written is mostly one that was meant to be another.
 * @param asked what requests were called with: what clients leave out is no fault
 */
export function unknownKeys(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
  asked: readonly string[],
  text: SourceText,
): UnknownKey[] {
  const written = new Map<string, boolean>();
  const isWritten = (name: string) => {
    const known = written.get(name) ?? sources.some(({ lines }) => lines.some((line) => writes(line, name)));
    written.set(name, known);
    return known;
  };
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line) ?? '';
    const isScript = /\.[cm]?[jt]sx?$/i.test(line.place.file);
    const found = [...source.matchAll(LOOK_UPS), ...source.matchAll(OWN)].map(
      ([, from = '', ...names]) => [from, names.find(Boolean) ?? ''] as const,
    );
    const members = isScript
      ? [...source.matchAll(MEMBERS), ...source.matchAll(OWN_MEMBERS)].map(
          ([, from = '', name = '']) => [from, name] as const,
        )
      : [];
    const [unknown] = [...found, ...members].filter(
      ([from, name]) =>
        name !== '' && !BUILT_IN.test(name) && !isWritten(name) && isNeverIn(line, from, name, asked),
    );
    return unknown === undefined || line.faulty.size === 0
      ? []
      : [
          {
            key,
            what: `it looks up ${unknown[1]} in ${unknown[0]}, where it never is, nor anywhere else`,
            score: line.faulty.size / allFaulty,
          },
        ];
  });
}

/** Whether a structure is there whenever the line runs, and never has such a part. */
function isNeverIn({ steps }: Line, from: string, name: string, asked: readonly string[]): boolean {
  const part = new RegExp(`(?:^|[^\\w-])["']?:?${name}["']?\\s*(?:=>|:|=)`);
  return steps.every(({ step: { before } }) => {
    const whole = before.get(from)?.text ?? '';
    return (
      STRUCTURE.test(whole) &&
      /\w/.test(whole) &&
      !whole.includes('…') &&
      !part.test(whole) &&
      !isAsked(whole, asked)
    );
  });
}

/** Whether a structure stands in what was asked, as it came. */
function isAsked(whole: string, asked: readonly string[]): boolean {
  return asked.some((each) => each.includes(whole));
}

/** Whether a line gives something such a key: `hazard: true`, `"hazard" => 1`, `rule.hazard = 1`, a column of a table. */
function writes(line: string, name: string): boolean {
  return (
    line.includes(name) &&
    new RegExp(
      [
        `["']?\\b${name}\\b["']?\\s*(?:=>|:(?!:))`,
        `(?:[.@]|[(,]\\s*)${name}\\s*=(?!=)`,
        `["':]${name}["']?\\s*\\]\\s*=(?!=)`,
        `(?:^|[,;\\t])${name}(?:[,;\\t]|$)`,
        `[{,]\\s*${name}\\s*[,}]`,
        `\\bget\\s+${name}\\s*\\(`,
        `(?:attr_\\w+|Struct\\.new\\().*:${name}\\b`,
      ].join('|'),
    ).test(line)
  );
}
