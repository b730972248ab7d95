/*
 * Values of a Node program as text, made by hand at a hit: no getter of the program's ever runs, nor a trap of a proxy.
 * It is one expression, evaluated together with helper.js.
 */
((require, hides, HIDDEN) => {
  'use strict';
  // What the program may replace later is taken now.
  const { JSON, Map, Set, Array, Object, String, Date, RegExp } = globalThis;

  function textOf(value, depth, limit) {
    switch (typeof value) {
      case 'string':
        return depth === 0 ? cut(value, limit) : quoted(cut(value, 80));
      case 'number':
        return Object.is(value, -0) ? '-0' : `${value}`;
      case 'bigint':
        return `${value}n`;
      case 'symbol':
        return String(value);
      case 'function':
        return `function ${own(value, 'name') ?? ''}`.trim();
      case 'object':
        return value === null ? 'null' : cut(objectText(value, depth, []), limit);
      default:
        return `${value}`;
    }
  }

  function cut(text, limit) {
    return text.length > limit ? `${text.slice(0, limit)}…` : text;
  }

  function quoted(text) {
    return text.includes("'") ? JSON.stringify(text) : `'${JSON.stringify(text).slice(1, -1).replaceAll('\\"', '"')}'`;
  }

  /** A data property of an object's own; a getter or a proxy's trap never runs. */
  function own(object, name) {
    const property = Object.getOwnPropertyDescriptor(object, name);
    return property !== undefined && 'value' in property ? property.value : undefined;
  }

  const { isProxy, isMap, isSet, isDate, isNativeError, isRegExp, isTypedArray, isPromise } = require('node:util').types;
  const { mapEntries, setValues, dateText, regexpText } = {
    mapEntries: Map.prototype.entries,
    setValues: Set.prototype.values,
    dateText: Date.prototype.toISOString,
    regexpText: RegExp.prototype.toString,
  };

  function className(value) {
    const prototype = Object.getPrototypeOf(value);
    if (prototype === null || isProxy(prototype)) {
      return '';
    }
    const constructor = own(prototype, 'constructor');
    return typeof constructor === 'function' ? String(own(constructor, 'name') ?? '') : '';
  }

  const ITEMS = 12;

  function objectText(value, depth, above) {
    if (isProxy(value)) {
      return 'Proxy';
    }
    if (above.includes(value)) {
      return '(cycle)';
    }
    if (isDate(value)) {
      try {
        return dateText.call(value);
      } catch {
        return 'Invalid Date';
      }
    }
    if (isRegExp(value)) {
      return regexpText.call(value);
    }
    if (isNativeError(value)) {
      return `${className(value)}: ${own(value, 'message') ?? ''}`;
    }
    if (isPromise(value)) {
      return 'Promise';
    }
    const name = className(value);
    if (depth >= 3) {
      return Array.isArray(value) ? `Array(${value.length})` : name || 'Object';
    }
    const inner = (item) =>
      typeof item === 'object' && item !== null
        ? objectText(item, depth + 1, [...above, value])
        : textOf(item, depth + 1, 80);
    if (isMap(value)) {
      return listed(`Map(${value.size}) {`, mapEntries.call(value), ([key, item]) => `${inner(key)} => ${hides(key) ? HIDDEN : inner(item)}`, '}');
    }
    if (isSet(value)) {
      return listed(`Set(${value.size}) {`, setValues.call(value), inner, '}');
    }
    if (isTypedArray(value)) {
      return `${name}(${value.length}) [${Array.prototype.slice.call(value, 0, ITEMS).join(', ')}${value.length > ITEMS ? ', …' : ''}]`;
    }
    const keys = Object.keys(value);
    const isList = Array.isArray(value);
    const shown = keys.slice(0, ITEMS).map((key) => {
      const property = Object.getOwnPropertyDescriptor(value, key);
      if (hides(key)) {
        return `${key}: ${HIDDEN}`;
      }
      const text = property !== undefined && 'value' in property ? inner(property.value) : '(getter)';
      return isList && /^\d+$/.test(key) ? text : `${key}: ${text}`;
    });
    const more = keys.length > ITEMS ? `, … ${keys.length - ITEMS} more` : '';
    if (isList) {
      return `[${shown.join(', ')}${more}]`;
    }
    return `${name === '' || name === 'Object' ? '' : `${name} `}{${shown.join(', ')}${more}}`;
  }

  function listed(head, items, text, tail) {
    const shown = [];
    for (const item of items) {
      if (shown.length === ITEMS) {
        shown.push('…');
        break;
      }
      shown.push(text(item));
    }
    return head + shown.join(', ') + tail;
  }

  function typeOf(value) {
    if (value === null) {
      return 'null';
    }
    return typeof value === 'object' && !isProxy(value) ? className(value) || 'Object' : typeof value;
  }

  function errorText(error) {
    try {
      return cut(isNativeError(error) ? `${error.name}: ${error.message}` : textOf(error, 0, 200), 400);
    } catch {
      return 'an error that cannot be shown';
    }
  }

  return { textOf, typeOf, errorText };
})
