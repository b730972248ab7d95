import { type Fact, variableOf } from './facts.js';

type Language = 'python' | 'ruby' | 'php' | 'javascript';

const LANGUAGES: readonly [RegExp, Language][] = [
  [/\.py$/i, 'python'],
  [/\.(?:rb|erb)$/i, 'ruby'],
  [/\.php$/i, 'php'],
  [/\.[cm]?[jt]sx?$/i, 'javascript'],
];
const MISSING: Record<Language, (name: string) => string> = {
  python: (name) => `${name} is None`,
  ruby: (name) => `${name}.nil?`,
  php: (name) => `${name} === null`,
  javascript: (name) => `${name} == null`,
};
const EMPTY: Record<Language, (name: string) => string> = {
  python: (name) => `not ${name}`,
  ruby: (name) => `${name}.empty?`,
  php: (name) => `empty(${name})`,
  javascript: (name) => `${name}.length === 0`,
};
const RELATIONS: readonly [RegExp, string][] = [
  [/ is more than /, '>'],
  [/ is less than /, '<'],
  [/ is as much as /, '=='],
];
/** A text that means the same between quotes in every language. */
const PLAIN = /^[\w .,:/-]+$/;

/**
 * What a line sees in faulty requests, as a condition in the language of its file; undefined where that cannot be written
 * so. A breakpoint there stops faulty requests only.
 */
export function conditionOf(fact: Fact, file: string): string | undefined {
  const language = LANGUAGES.find(([extension]) => extension.test(file))?.[1];
  const { name, other, key, words } = fact;
  const isVariable = (each: string) => /^[$@]{0,2}[A-Za-z_]\w*$/.test(each) && each === variableOf(each);
  if (language === undefined || !isVariable(name)) {
    return undefined;
  }
  const same = language === 'javascript' ? '===' : '==';
  if (other !== undefined) {
    const sign = RELATIONS.find(([relation]) => relation.test(key))?.[1];
    return sign !== undefined && (isVariable(other) || /^\d/.test(other))
      ? `${name} ${sign === '==' ? same : sign} ${other}`
      : undefined;
  }
  const kind = key.slice(name.length + 1);
  const bound = /\(at (?:most|least) (-?\d+(?:\.\d+)?)\)$/.exec(words)?.[1];
  switch (kind) {
    case 'missing':
      return MISSING[language](name);
    case 'empty':
      return EMPTY[language](name);
    case 'negative':
      return `${name} < 0`;
    case 'zero':
      return `${name} ${same} 0`;
    case 'above':
      return bound && `${name} > ${bound}`;
    case 'below':
      return bound && `${name} < ${bound}`;
    default:
      return kind.startsWith('= ') ? equals(name, same, kind.slice(2)) : undefined;
  }
}

function equals(name: string, same: string, text: string): string | undefined {
  if (/^-?\d+(?:\.\d+)?$/.test(text)) {
    return `${name} ${same} ${text}`;
  }
  const plain = text.replace(/^(['"])(.*)\1$/, '$2');
  return PLAIN.test(plain) && !/^(?:true|false|null|nil|None|undefined)$/i.test(plain)
    ? `${name} ${same} "${plain}"`
    : undefined;
}
