import { decidesByBegun, leavesBegun } from './source/begun.js';

/** What a line does that goes wrong often, or hardly ever. */
export interface Habit {
  /** By how much what is said against the line counts more, or less. */
  factor: number;
  /** For people: `it compares loosely`; none where it counts less. */
  words?: string;
}

/** What turns letters into bytes, or counts them as such. */
export const BYTES =
  /\blatin1\b|\bascii\b|\biso-?8859|\b(?:en|de)code\(|utf8_(?:en|de)code|force_encoding|\bstr(?:len|rev|pad|toupper|tolower)\(|\bstr_pad\(|\bsubstr\(/i;

/** What cuts numbers, or rounds them. */
export const ROUNDS =
  /\b(?:int|round|floor|ceil|trunc|number_format)\(|\.(?:toFixed|round|floor|ceil|to_i|truncate)\b|\(int\)|\bparseInt\(/;

const TO_CENTS = /.*(?:,\s*|\.(?:round|toFixed)\()[2-9]\)/;

interface Pattern {
  matches: RegExp;
  /** Extensions of files; in all languages where there are none. */
  only?: readonly string[];
  factor: number;
  words?: string;
}

const JAVASCRIPT = ['.js', '.mjs', '.cjs', '.jsx', '.ts', '.mts', '.cts', '.tsx'];

/** A number, a quoted text, a name of nothing or of a truth, or an empty structure. */
const LITERAL =
  '(?:-?[\\d_.]+|\'[^\']*\'|"[^"]*"|None|null|nil|NULL|undefined|true|false|True|False|\\[\\]|\\{\\}|\\(\\)|array\\(\\)|set\\(\\)|new (?:Map|Set)\\(\\))';
const SETS_LITERAL = new RegExp(
  `^(?:(?:const|let|var)\\s+)?[$@]{0,2}[\\w.]+(?:\\s*:\\s*[\\w[\\], |]+)?\\s*=\\s*${LITERAL}(?:\\.(?:freeze|dup))?\\s*;?$`,
);

/**
 * Lines that can hardly be at fault themselves. What is meant by "can hardly": a fault there would be one of every
 * request, as where something is loaded, or a value is begun with.
 */
const HARDLY: readonly Pattern[] = [
  {
    matches: /^(?:import\b|from\s+\S+\s+import\b|require(?:_once|_relative)?\b|include(?:_once)?\b|use\s)/,
    factor: 0.02,
  },
  { matches: /^(?:const|let|var)\s+[\w{}\s,:]+=\s*require\(/, factor: 0.02 },
  { matches: SETS_LITERAL, factor: 0.25 },
  // It hands on what another line has made.
  { matches: /^(?:(?:const|let|var)\s+)?[$@]{0,2}\w+\s*=\s*[$@]{0,2}[A-Za-z_]\w*\s*;?$/, factor: 0.7 },
];

/** What only looks whether there is something before it is used: `row && row[kind]`, `last === null ||`. */
const GUARDS =
  /(?:===? ?null|=== ?undefined|is None|\.nil\?)\s*(?:\|\||or)\s*|([$@]{0,2}\w+) (?:&&|and) (?=\1\b)|!\s*empty\(|!!(?=\w)/g;

/**
 * What goes wrong often where requests are handled, most of all first: comparisons that convert, sorting as text, and
 * so on. That a line does so is no evidence by itself; it tells lines apart that the requests do not.
 */
const OFTEN: readonly Pattern[] = [
  {
    matches: /\bHash\.new\(\s*(?:\[\]|\{\}|''|""|String\.new)\s*\)|\bArray\.new\([^,()]+,\s*(?:\[|\{|''|"")/,
    only: ['.rb'],
    factor: 2.5,
    words: 'all that it makes share one value',
  },
  {
    matches:
      /\bdict\.fromkeys\([^,]+,\s*(?:\[|\{|list\(|dict\(|set\()|\[\s*(?:\[[^\]]*\]|\{[^}]*\})\s*\]\s*\*/,
    only: ['.py'],
    factor: 2.5,
    words: 'all that it makes share one value',
  },
  {
    matches: /\.fill\(\s*(?:\[|\{|new\s)/,
    only: JAVASCRIPT,
    factor: 2.5,
    words: 'all that it makes share one value',
  },
  {
    matches:
      /(?:\b(?:if|while|elseif) ?\(|&&|\|\||!|\?)[\s!(]*\\?(?:(?:str|mb_str)r?i?pos|array_search)\((?!.*[!=]==)/,
    only: ['.php'],
    factor: 1.82,
    words: 'it takes the first place for none',
  },
  {
    matches:
      /(?:\b(?:if|while) ?\(|&&|\|\||!)\s*[\w.]+\.(?:indexOf|search|findIndex)\((?!.*[<>!=]==?|.*[<>])/,
    only: JAVASCRIPT,
    factor: 1.82,
    words: 'it takes the first place for none',
  },
  {
    matches: /\b(?:if|while|and|or|not)\s+[\w.]+\.find\((?!.*(?:[!=]=|[<>]))/,
    only: ['.py'],
    factor: 1.82,
    words: 'it takes the first place for none',
  },
  {
    matches: /\.map\(\s*(?:Number\.)?parseInt\s*\)/,
    only: JAVASCRIPT,
    factor: 2.5,
    words: 'it hands on more than what is called expects',
  },
  {
    matches: /\.sort\(\s*\(\w+, \w+\) =>[^?]*[<>](?!.*\?)/,
    only: JAVASCRIPT,
    factor: 2.2,
    words: 'it orders by true and false',
  },
  {
    matches: /=\s*[\w.[\]"']+\.(?:sort|reverse|append|extend|update|insert|clear)\(/,
    only: ['.py'],
    factor: 2.2,
    words: 'it takes what gives nothing back',
  },
  {
    matches:
      /(?:=|\breturn)\s*[\w.@()]+\.(?:g?sub|uniq|compact|flatten|reject|select|upcase|downcase|capitalize|l?strip|rstrip|squeeze|chomp|tr|delete|slice|swapcase)!/,
    only: ['.rb'],
    factor: 2.2,
    words: 'it gives nothing where nothing changes',
  },
  {
    matches:
      /(?:[!=]==?\s*(?:'[^']*'|"[^"]*")|\bin\b[^:]*)\s*(?:\|\||\bor)\s*(?:'[^']*'|"[^"]*")\s*(?:[):]|then|$)/,
    factor: 2.2,
    words: 'it holds whatever is compared',
  },
  {
    matches: /\.[lr]?strip\(\s*(?:'[^']{2,}'|"[^"]{2,}")\s*\)/,
    only: ['.py'],
    factor: 1.82,
    words: 'it takes letters away, not a word',
  },
  {
    matches: /\.replace\(\s*['"]/,
    only: JAVASCRIPT,
    factor: 1.56,
    words: 'it replaces the first only',
  },
  {
    matches: /\.sub!?\(\s*['"]/,
    only: ['.rb'],
    factor: 1.56,
    words: 'it replaces the first only',
  },
  {
    matches: /\bfor \((?:const|let|var) \w+ in /,
    only: JAVASCRIPT,
    factor: 1.44,
    words: 'it goes over names, which are texts',
  },
  {
    matches: /\barray_merge\(/,
    only: ['.php'],
    factor: 1.56,
    words: 'it counts numbers of keys anew',
  },
  {
    matches: /\barray_(?:filter|unique)\(/,
    only: ['.php'],
    factor: 1.32,
    words: 'it leaves gaps in the keys',
  },
  {
    matches: /^(?!.*(?:to_f|fdiv|\.round|\d\.\d)).*\w\)?\]? \/ (?:\d+|[A-Z][A-Z_]+)\b/,
    only: ['.rb'],
    factor: 1.32,
    words: 'it divides whole numbers',
  },
  {
    matches: /\.(?:forEach|map|filter|reduce)\(\s*async\b/,
    only: JAVASCRIPT,
    factor: 2.2,
    words: 'it does not wait for what it begins',
  },
  { matches: /\.sort\(\s*\)/, only: JAVASCRIPT, factor: 1.82, words: 'it sorts as text' },
  {
    matches:
      /\bSORT_STRING\b|\b(?:u|ua|uk)sort\(.*\bstrcmp\b|\bkey ?= ?str\b|\bsort(?:_by|_by!|!)?\(?&:to_s\b/,
    factor: 1.82,
    words: 'it sorts as text',
  },
  {
    matches: /foreach\s*\(.*\bas\s+(?:\$\w+\s*=>\s*)?&/,
    only: ['.php'],
    factor: 1.69,
    words: 'it leaves a reference behind',
  },
  {
    matches: /\bin_array\((?!.*\btrue\b)|\barray_search\((?!.*\btrue\b)|\bempty\(/,
    only: ['.php'],
    factor: 1.69,
    words: 'it compares loosely',
  },
  {
    matches: /(?<![=!<>])[=!]=(?!=)/,
    only: ['.php', ...JAVASCRIPT],
    factor: 1.56,
    words: 'it compares loosely',
  },
  { matches: /\bBoolean\(|!!\w/, only: JAVASCRIPT, factor: 1.44, words: 'it takes any text for true' },
  {
    matches:
      /\butc|timezone|tzinfo|\bstrf?p?time\(|\b(?:get|set)(?:UTC)?(?:Hours|Date|Day|Month)\b|\bmktime\(|\b(?:local|gm)time\b|toISOString|\bDate(?:Time)?\.parse/i,
    factor: 1.32,
    words: 'it reckons with times',
  },
  {
    matches: /^(?:\} ?)?(?:except|rescue|catch)\b|\brescue\s+\S+$/,
    factor: 1.44,
    words: 'it catches errors',
  },
  { matches: /\|\|=|\bcache|\bmemo/i, factor: 1.32, words: 'it keeps what it has found' },
  {
    // To cents is how money is mostly rounded.
    matches: new RegExp(`^(?!${TO_CENTS.source})(?=.*(?:\\w // \\w|\\bintdiv\\(|${ROUNDS.source}))`),
    factor: 1.32,
    words: 'it cuts or rounds',
  },
  {
    matches:
      /\.get\([^()]*,\s*[^()]+\)|\bfetch\([^()]*,|\?\?|\|\|\s*(?:['"\d[{:]|nil|\w+$)|\bor\s+['"\d[{]|\?:/,
    factor: 1.32,
    words: 'it puts something in place of what is missing',
  },
  {
    matches: /\b(?:and|&&)\b.*\b(?:or|\|\|)\b|\b(?:or|\|\|)\b.*\b(?:and|&&)\b|&&|\|\||\b(?:and|or)\b/,
    factor: 1.32,
    words: 'it joins conditions',
  },
  { matches: /[\w)\]]\s*(?:<=?|>=?)\s*[\w$@(-]/, factor: 1.25, words: 'it compares at a bound' },
  {
    matches: /\brange\(|\.\.\.?\s*\w|[+-]\s*1\b|\.slice\(|\b(?:min|max)\(|\.(?:first|last|take|drop)\(/,
    factor: 1.25,
    words: 'it counts from here to there',
  },
  {
    matches: /\.(?:dup|clone|copy)\b|Object\.assign\(|\{\s*\.\.\.|\blist\(|\barray_merge\(/,
    factor: 1.21,
    words: 'it copies only the outermost',
  },
];

const NOT_WAITED: Habit = { factor: 1.82, words: 'it does not wait for what it begins' };

/**
 * What a line does that goes wrong often or hardly ever; a factor of 1 where it is like any other.
 * @param asyncNames the project's functions that have to be waited for
 */
export function habitOf(
  source: string | undefined,
  file: string,
  asyncNames: ReadonlySet<string> = new Set(),
): Habit {
  const text = bare(source ?? '', file);
  if (leavesBegun(text, asyncNames)) {
    return { ...NOT_WAITED, factor: decidesByBegun(text) ? 2.5 : NOT_WAITED.factor };
  }
  const language = /\.\w+$/.exec(file)?.[0].toLowerCase() ?? '';
  const rest = text.replace(GUARDS, '');
  const found = (patterns: readonly Pattern[]) =>
    patterns.find(
      ({ matches, only }) => (only === undefined || only.includes(language)) && matches.test(rest),
    );
  const { factor, words } = found(HARDLY) ?? found(OFTEN) ?? { factor: 1 };
  return words === undefined ? { factor } : { factor, words };
}

/** Whether a line sets a variable to what is written there: whatever that is, it is so in every request. */
export function setsLiteral(source: string | undefined, file: string): boolean {
  return SETS_LITERAL.test(bare(source ?? '', file));
}

/** Without blanks around, and without a comment at the end, as the language writes one. */
function bare(source: string, file: string): string {
  const isSlashed = /\.(?:[cm]?[jt]sx?|php)$/i.test(file);
  return source.trim().replace(isSlashed ? /\s+\/\/\s.*$/ : /\s+#\s.*$/, '');
}
