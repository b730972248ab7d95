import { z } from 'zod';
import { HIDDEN, type Veil } from '../../src/core/veil.js';
import type { Channel } from './channel.js';
import { evaluatedSchema, propertiesSchema, type RemoteObject } from './protocol.js';

/** Part of an element: its name for people, its value, and the expression behind the element's that reaches it. */
export interface ElementPart {
  name: string;
  value: RemoteObject;
  member: string | undefined;
}

const MEMBERS: Record<string, string> = {
  attributes: '',
  value: '.value',
  checked: '.checked',
  text: '.textContent',
  children: '.children',
  parent: '.parentNode',
};
/** Characters of an element's text that are shown. */
const TEXT = 2_000;

/** Reads by the document's own getters, past those that an element's class has put before them: nothing of the page runs. */
const READER = `const read = (type, name) => {
  try {
    return Object.getOwnPropertyDescriptor(globalThis[type].prototype, name).get.call(this);
  } catch {
    return undefined;
  }
};
const attributes = {};
const list = read('Element', 'attributes');
for (let index = 0; index < (list?.length ?? 0); index += 1) {
  attributes[list[index].name] = list[index].value;
}`;
const WHAT_IT_IS = `function () {
  ${READER}
  return [attributes.name, attributes.id, attributes.autocomplete, attributes.type === 'password' ? 'password' : '']
    .map((each) => each ?? '');
}`;
const PARTS = `function (hidden, limit) {
  ${READER}
  if (hidden !== '' && 'value' in attributes) {
    attributes.value = hidden;
  }
  const held = ['HTMLInputElement', 'HTMLTextAreaElement', 'HTMLSelectElement']
    .map((type) => read(type, 'value'))
    .find((value) => value !== undefined);
  const isTicked = ['checkbox', 'radio'].includes(read('HTMLInputElement', 'type'));
  const text = read('Node', 'textContent') ?? '';
  return {
    ...(list === undefined ? {} : { attributes }),
    ...(held === undefined ? {} : { value: hidden || held }),
    ...(isTicked ? { checked: read('HTMLInputElement', 'checked') } : {}),
    ...(text === '' || hidden !== '' ? {} : { text: text.length > limit ? text.slice(0, limit) + '…' : text }),
    children: read('Element', 'children') ?? read('Document', 'children'),
    parent: read('Node', 'parentNode'),
  };
}`;

/** What people look for in an element of a document: attributes, value, text, children, parent. */
export async function elementParts(
  inspector: Channel,
  objectId: string,
  objectGroup: string,
  veil: Veil,
): Promise<ElementPart[]> {
  const ask = { objectId, objectGroup, silent: true };
  const known = await inspector.send(
    'Runtime.callFunctionOn',
    { ...ask, functionDeclaration: WHAT_IT_IS, returnByValue: true },
    evaluatedSchema,
  );
  const names = z.array(z.string()).catch([]).parse(known.result.value);
  const hidden = names.some((name) => veil.hides(name)) ? HIDDEN : '';
  const { result } = await inspector.send(
    'Runtime.callFunctionOn',
    { ...ask, functionDeclaration: PARTS, arguments: [{ value: hidden }, { value: TEXT }] },
    evaluatedSchema,
  );
  const args = { objectId: result.objectId ?? '', ownProperties: true, generatePreview: true };
  const parts = await inspector.send('Runtime.getProperties', args, propertiesSchema);
  return parts.result.flatMap(({ name, value }) =>
    value === undefined || value.type === 'undefined' || !(name in MEMBERS)
      ? []
      : [{ name, value, member: MEMBERS[name] || undefined }],
  );
}
