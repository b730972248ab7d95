import { appendTo } from '../collections.js';
import { saysWhatWasAsked } from './asked.js';
import { namesIn, type SourceText } from './code.js';
import { type Fact, factsOfValue, MISSING, numberOf, partsOf, variableOf } from './facts.js';
import { Flow } from './flow.js';
import { comeIn, keyOf, nameOf, type Observation, placeOf, type Step, type Value } from './observation.js';
import { loopHeadOf } from './source/loop-head.js';
import type { Separating } from './values.js';

/** A file as it is known: its lines from `first` on. */
export interface Source {
  path: string;
  first: number;
  lines: readonly string[];
}

/** A row of a table in the project's files that a value has been taken from. */
export interface Row {
  key: string;
  /** The line at which that is told: as much is said against the row. */
  reader: string;
  /** How well the value separates the kinds, 0 to 1. */
  score: number;
  what: string;
}

/** Rows that are named for a value at most: where more would do, none is it. */
const MOST_ROWS = 2;
/** Rows of one file that are named at most. */
const MOST_OF_A_FILE = 4;
/** How much more a key says that is the whole value of a variable. */
const WHOLE = 3;
/** Faulty requests in which rows are looked for. */
const MOST_LOOKED_AT = 6;
/** What reads from a table: an index, a look-up by name or by what it holds, or a field of what one has given. */
const READS =
  /\[|\.(?:get|find|fetch|dig|at|detect|select|filter)\b|->\w+|\.\w+|\b(?:array_column|array_search)\(/;
const OF_ROWS = /^ (?:=|missing|negative|zero|empty|above|below|outside)/;
const BEYOND = /^ (?:above|below|outside)/;
const TOKEN = /'([^']*)'|"([^"]*)"|(-?\d+(?:\.\d+)?)|([A-Za-z_][\w-]*)/g;
/** Files that hold nothing else. */
const DATA = /\.(?:json|csv|tsv|ya?ml|toml)$/i;
/** A line that holds data: of a literal, of a table in a text. What calls, decides or defines is code. */
const IS_CODE =
  /\b(?:def|function|return|if|elsif|elif|while|for|foreach|class|import|require)\b|=>\s*\{$|^\s*(?:#|\/\/|\*)|\s\?\s.*\s:\s|&&|\|\|/;

/**
 * The rows of tables from which values have come that tell the kinds apart. A table is made when a file is loaded, so that
 * none of its lines runs in a request: a row is known by having the value in it, and the key that was looked up.
 * @returns each row by each line that may have read it
 */
export function rowsOf(
  faults: readonly Observation[],
  separating: readonly Separating[],
  sources: readonly Source[],
  asked: readonly string[],
  text: SourceText,
): Row[] {
  const run = new Set(faults.flatMap(({ steps }) => steps.map(({ file, line }) => `${file}\0${line}`)));
  const tables = new Tables(sources, (path, line) => run.has(`${path}\0${line}`));
  const found = new Map<string, Row>();
  const byKey = new Map<string, Separating[]>();
  for (const each of separating) {
    // What type it is, or how it compares with others, is no matter of a row; nor is a part that was asked for.
    const isOfRow = OF_ROWS.test(each.fact.key.slice(each.fact.name.length));
    if (isOfRow && !(each.fact.name.includes('.') && saysWhatWasAsked(each.fact, asked))) {
      appendTo(byKey, each.key, each);
    }
  }
  for (const { steps } of faults.slice(0, MOST_LOOKED_AT)) {
    const flow = new Flow(steps, text);
    steps.forEach((step, index) => {
      const apart = byKey.get(keyOf(step)) ?? [];
      const readers = apart.length === 0 ? [] : readersOf(steps, index, flow);
      for (const { fact, score } of apart) {
        const value = valueNamed(comeIn(step), fact.name);
        // In another pass of the line it may be one that says nothing.
        if (value === undefined || !isOf(fact, value)) {
          continue;
        }
        // What the head of a loop has read is told at the line in it.
        const head = loopHeadOf(text, step.file, step.line, variableOf(fact.name));
        const heads = head === undefined ? [] : [{ at: { ...step, line: head }, told: step }];
        for (const { at: reader, told } of [...heads, ...readers.map((at) => ({ at, told: at }))]) {
          for (const row of tables.rows(reader, value, text)) {
            const key = keyOf({ target: reader.target, file: row.path, line: row.line });
            const by = `${key}\0${keyOf(told)}`;
            if (score > (found.get(by)?.score ?? 0)) {
              const what = `${fact.name} ${fact.words} at ${nameOf(step)}, out of ${row.source.trim()}`;
              found.set(by, { key, reader: keyOf(told), score, what });
            }
          }
        }
      }
    });
  }
  return withoutMany([...found.values()]);
}

/** Rows, but for files of which many are named: a table that is gone over has none that was read. */
function withoutMany(rows: readonly Row[]): Row[] {
  const counts = new Map<string, number>();
  for (const key of new Set(rows.map((row) => row.key))) {
    const { file } = placeOf(key);
    counts.set(file, (counts.get(file) ?? 0) + 1);
  }
  return rows.filter(({ key }) => (counts.get(placeOf(key).file) ?? 0) <= MOST_OF_A_FILE);
}

/** Whether a value is one of which a fact is said; numbers that are beyond all others are so in every pass. */
function isOf({ name, key }: Fact, value: Value): boolean {
  return BEYOND.test(key.slice(name.length)) || factsOfValue(name, value).some((fact) => fact.key === key);
}

/** A variable's value, or that of a part of one: in a table of rows the names of parts are elsewhere. */
function valueNamed(values: ReadonlyMap<string, Value>, name: string): Value | undefined {
  const variable = variableOf(name);
  const whole = values.get(variable);
  return whole === undefined || name === variable
    ? whole
    : partsOf(variable, whole).find(([part]) => part === name)?.[1];
}

/** A line of data. */
interface DataLine {
  path: string;
  line: number;
  tokens: ReadonlySet<string>;
  source: string;
}

/** The lines of data in the project's files, by what stands in them. */
class Tables {
  readonly #byToken = new Map<string, DataLine[]>();

  /** @param isRun whether a line runs in requests, and so is none of data */
  constructor(sources: readonly Source[], isRun: (path: string, line: number) => boolean) {
    for (const { path, first, lines } of sources) {
      lines.forEach((source, index) => {
        const line = first + index;
        if (isData(source, path) && !isRun(path, line)) {
          const row = { path, line, tokens: new Set(tokensOf(source)), source };
          for (const token of row.tokens) {
            appendTo(this.#byToken, token, row);
          }
        }
      });
    }
  }

  /** The rows that a line may have read a value from; none where more would do than are told apart. */
  rows(reader: Step, value: Value, text: SourceText): DataLine[] {
    const source = text(reader.file, reader.line) ?? '';
    if (!READS.test(source)) {
      return [];
    }
    const own = asTokens(value);
    const known = keysOf(reader, source);
    const keys = [...known.keys()].filter((key) => !own.includes(key));
    const rows = MISSING.test(value.text) ? this.#withAny(keys) : this.#withAll(own, keys);
    const possible = rows.filter(({ path }) => canBeOf(path, reader.file));
    // The row that was read has more of what was looked up than another that has the same value.
    const keyed = possible.map((row) => ({
      row,
      had: keys.reduce((sum, key) => sum + (row.tokens.has(key) ? (known.get(key) ?? 0) : 0), 0),
    }));
    const most = Math.max(...keyed.map(({ had }) => had));
    const best = keyed.filter(({ had }) => had === most).map(({ row }) => row);
    return best.length > MOST_ROWS ? [] : best;
  }

  /** Of what was not found there is only the key, and a row that has it and was passed by. */
  #withAny(keys: readonly string[]): DataLine[] {
    return [...new Set(keys.flatMap((key) => this.#byToken.get(key) ?? []))];
  }

  #withAll([first, ...rest]: readonly string[], keys: readonly string[]): DataLine[] {
    const rows = first === undefined ? [] : (this.#byToken.get(first) ?? []);
    return rows.filter(
      ({ tokens }) => rest.every((token) => tokens.has(token)) && keys.some((key) => tokens.has(key)),
    );
  }
}

/** The line itself, and the last one of a call that it has made: that may have read what it returned. */
function readersOf(steps: readonly Step[], index: number, flow: Flow): Step[] {
  const inner = flow.returnedTo(index);
  return [steps[index], inner === undefined ? undefined : steps[inner]].flatMap((step) => step ?? []);
}

/** Numbers that have a name in the project's files: `WEEK = 7`, `const MOST = 12;`. */
export function constantsIn(sources: readonly Source[]): Map<string, string> {
  const found = new Map<string, string>();
  for (const line of sources.flatMap(({ lines }) => lines)) {
    const [, name, number] =
      /^\s*(?:export\s+)?(?:const\s+)?([A-Z][A-Z0-9_]+)\s*(?::[^=]+)?=\s*(-?\d[\d_]*(?:\.\d+)?)\s*(?:\.freeze)?;?\s*(?:#.*|\/\/.*)?$/.exec(
        line,
      ) ?? [];
    if (name !== undefined && number !== undefined) {
      found.set(name, number);
    }
  }
  return found;
}

/** Whether a table of one file can be what the code of another reads: of its own language, or data. */
function canBeOf(path: string, reader: string): boolean {
  return extensionOf(path) === extensionOf(reader) || DATA.test(path);
}

function extensionOf(path: string): string {
  return path.slice(path.lastIndexOf('.'));
}

/**
 * What the line has to look up with: texts and words in what it names and in what it sets, as far as they are short. A value
 * that is nothing else says more than one in a structure.
 */
function keysOf({ before, set }: Step, source: string): Map<string, number> {
  const names = namesIn(source);
  const isNamed = (name: string) => names.has(name) || names.has(`$${name}`);
  const values = [
    ...[...before].filter(([name]) => isNamed(name) || set.size === 1),
    ...[...set].filter(([name]) => isNamed(name)),
  ];
  const found = new Map<string, number>();
  for (const [, { text }] of values) {
    const tokens = tokensOf(text);
    const weight = tokens.length === 1 ? WHOLE : 1;
    for (const token of tokens.filter((each) => /^[A-Za-z][\w -]+$|^[a-z]$/i.test(each))) {
      found.set(token, Math.max(weight, found.get(token) ?? 0));
    }
  }
  return found;
}

function asTokens(value: Value): string[] {
  const number = numberOf(value);
  if (number !== undefined) {
    return [String(number)];
  }
  const plain = value.text.replace(/^['"]|['"]$/g, '');
  return plain.length <= 40 ? tokensOf(value.text.length === plain.length ? value.text : `'${plain}'`) : [];
}

/** Texts, numbers and words of a line; a number as it is worth: `1.0` is `1`. */
function tokensOf(line: string): string[] {
  return [...line.matchAll(TOKEN)].map(([, single, double, number, word]) =>
    number === undefined ? (single ?? double ?? word ?? '') : String(Number(number)),
  );
}

function isData(line: string, path: string): boolean {
  const isCode = !DATA.test(path) && (IS_CODE.test(line) || /\w\(\S/.test(line));
  return !isCode && /[:=,|;\t]/.test(line) && /['"\d]/.test(line);
}
