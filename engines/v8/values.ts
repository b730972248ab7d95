import { HIDDEN, Veil } from '../../src/core/veil.js';
import type { Preview, RemoteObject } from './protocol.js';

/** For what is not shown to anybody, or has no names. */
const NO_VEIL = new Veil({ off: true });

/** Characters of a value in a list of variables. */
const SHORT = 160;

/** A remote value as text, the way JavaScript writes it; of an object what its preview has. */
export function textOf(value: RemoteObject, limit = SHORT, veil = NO_VEIL): string {
  const text = whole(value, veil);
  return text.length > limit ? `${text.slice(0, limit)}…` : text;
}

function whole(value: RemoteObject, veil: Veil): string {
  if (value.type === 'string') {
    return quoted(String(value.value));
  }
  if (value.unserializableValue !== undefined) {
    return value.unserializableValue;
  }
  if (
    value.type === 'undefined' ||
    value.subtype === 'null' ||
    value.type === 'boolean' ||
    value.type === 'number'
  ) {
    return String(value.subtype === 'null' ? null : value.value);
  }
  if (value.type === 'function') {
    return functionHead(value.description ?? 'function');
  }
  if (value.subtype === 'error') {
    return (value.description ?? 'Error').split('\n')[0] ?? 'Error';
  }
  const isPlain =
    ['date', 'regexp', 'promise', 'proxy', 'node'].includes(value.subtype ?? '') ||
    value.preview === undefined;
  return isPlain
    ? (value.description ?? value.type)
    : previewText(value.preview as Preview, value.className ?? '', veil);
}

function previewText(preview: Preview, className: string, veil: Veil): string {
  const more = preview.overflow ? ', …' : '';
  if (preview.entries !== undefined) {
    const entries = preview.entries.map(({ key, value }) =>
      key ? `${short(key)} => ${veil.hides(key.description ?? '') ? HIDDEN : short(value)}` : short(value),
    );
    return `${preview.description ?? className} {${entries.join(', ')}${more}}`;
  }
  // What a typed array has besides its items is the same for every one of them.
  const isOther = (name: string) => preview.subtype === 'typedarray' && !isIndex(name);
  const shown = preview.properties.filter(({ name }) => !isOther(name));
  const items = shown.map((property) => {
    if (veil.hides(property.name) && property.type !== 'function') {
      return `${property.name}: ${HIDDEN}`;
    }
    const value =
      property.type === 'accessor' ? '(getter)' : shortText(property.type, property.subtype, property.value);
    return isIndex(property.name) && isList(preview.subtype) ? value : `${property.name}: ${value}`;
  });
  if (isList(preview.subtype)) {
    const name = preview.subtype === 'array' ? '' : `${preview.description ?? className} `;
    const left =
      listLength(preview.description) - preview.properties.filter(({ name }) => isIndex(name)).length;
    return `${name}[${items.join(', ')}${left > 0 ? `, … ${left.toLocaleString('en')} more` : ''}]`;
  }
  const name = className === 'Object' || className === '' ? '' : `${className} `;
  return `${name}{${items.join(', ')}${more}}`;
}

function short(preview: Preview): string {
  return shortText(preview.type, preview.subtype, preview.description ?? '');
}

function shortText(type: string, subtype: string | undefined, value: string | undefined): string {
  if (type === 'string') {
    return quoted(value ?? '');
  }
  if (type === 'function') {
    return 'ƒ';
  }
  return value ?? subtype ?? type;
}

function functionHead(source: string): string {
  const head = /^(?:async\s+)?(?:function\*?\s*([\w$]*)|class\s+([\w$]*)|([\w$]+)\s*\()/.exec(source);
  const name = head?.[1] ?? head?.[2] ?? head?.[3] ?? '';
  return source.startsWith('class') ? `class ${name}`.trim() : `function ${name}`.trim();
}

function quoted(text: string): string {
  return text.includes("'")
    ? JSON.stringify(text)
    : `'${JSON.stringify(text).slice(1, -1).replaceAll('\\"', '"')}'`;
}

export function isList(subtype: string | undefined): boolean {
  return subtype === 'array' || subtype === 'typedarray';
}

/** The length that a description such as `Array(1000)` or `Uint8Array(4)` tells. */
export function listLength(description: string | undefined): number {
  return Number(/\((\d+)\)$/.exec(description ?? '')?.[1] ?? 0);
}

export function isIndex(name: string): boolean {
  return /^(0|[1-9]\d*)$/.test(name);
}

/** The type as people write it. */
export function typeOf(value: RemoteObject): string {
  if (value.subtype === 'null') {
    return 'null';
  }
  return value.type === 'object' ? (value.className ?? 'Object') : value.type;
}

/** The expression that reaches a property of what `path` reaches. */
export function memberPath(path: string | undefined, name: string): string | undefined {
  if (path === undefined) {
    return undefined;
  }
  if (isIndex(name)) {
    return `${path}[${name}]`;
  }
  return /^#?[\p{L}_$][\p{L}\p{N}_$]*$/u.test(name) ? `${path}.${name}` : `${path}[${JSON.stringify(name)}]`;
}
