import { mentions, type SourceText } from './code.js';
import { partsOf } from './facts.js';
import { Holding } from './held.js';
import type { Line } from './lines.js';
import type { Observation, Step } from './observation.js';
import { type Kept, keptAt } from './source/kept.js';

/** A line that makes the key under which something is kept, and makes the same for what is asked differently. */
export interface SharedKey {
  key: string;
  /** 0 to 1. */
  score: number;
  name: string;
  value: string;
}

/** What people call the key of something that is kept. */
const IS_KEY = /(?:^|_|\b)(?:key|cache|memo|slot)/i;

/**
 * Lines whose key stands for something else in faulty requests: an earlier request of another name has set the same there,
 * so that what was kept for that one is found. In good requests that is not so.
 */
export function sharedKeys(lines: ReadonlyMap<string, Line>, text: SourceText): SharedKey[] {
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line) ?? '';
    const names = new Set(line.steps.flatMap(({ step }) => [...step.set.keys()]));
    const written = keptAt(source, text(line.place.file, line.place.line + 1) ?? '');
    const own = [...names]
      .filter((name) => IS_KEY.test(name) || (names.size === 1 && /\b\w*key\w*\(/i.test(source)))
      .map((name) => ({ name, valueIn: (step: Step) => plainOf(step, name) }));
    const inLine =
      written === undefined
        ? []
        : [{ name: written.key, valueIn: (step: Step) => valueOfKey(step, written) }];
    return [...own, ...inLine].flatMap(({ name, valueIn }) => {
      const found = collisions(line, valueIn);
      return found.score > 0 ? [{ key, name, ...found }] : [];
    });
  });
}

/** An object is no key, whatever it is called: `keys = Keys {deck: 2}`. */
const OBJECT = /^(?:[A-Za-z_][\w.:\\]* ?\{|<[A-Za-z])/;

function plainOf({ set }: Step, name: string): string | undefined {
  const text = set.get(name)?.text;
  return text === undefined || OBJECT.test(text) ? undefined : text;
}

/** What the key is in a pass; undefined where it is kept in a variable of the call, and so for that alone. */
function valueOfKey({ before }: Step, { holder, key }: Kept): string | undefined {
  const root = /^[$@]*\w+/.exec(holder)?.[0] ?? '';
  if (before.has(root) && !/^(?:@.*|\$?this|self)$/.test(root)) {
    return undefined;
  }
  const values = [...before]
    .filter(([name]) => mentions(key, name))
    .map(([name, value]) => {
      const parts = partsOf(name, value).filter(([part]) => mentions(key, part.slice(name.length + 1)));
      return (parts.length > 0 ? parts.map(([, part]) => part.text) : [value.text]).join(' ');
    });
  return values.length > 0 ? values.join(' ') : undefined;
}

/** How well it separates the kinds that a request has found its key taken by another one. */
function collisions(
  { steps }: Line,
  valueIn: (step: Step) => string | undefined,
): { score: number; value: string } {
  const owners = new Map<string, Observation>();
  const all = new Holding();
  const taken = new Holding();
  let shown = '';
  for (const { step, observation } of steps.toSorted(
    (one, other) => one.observation.id - other.observation.id,
  )) {
    const value = valueIn(step);
    if (value === undefined) {
      continue;
    }
    all.add(observation);
    const owner = owners.get(value);
    if (owner === undefined) {
      owners.set(value, observation);
    } else if (owner.name !== observation.name) {
      taken.add(observation);
      shown = observation.kind === 'faulty' ? value : shown;
    }
  }
  return { score: taken.apart(all), value: shown };
}
