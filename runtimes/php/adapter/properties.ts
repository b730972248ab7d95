import type { Element } from '@xmldom/xmldom';
import { attribute, childrenOf, textOf } from './dbgp.js';

/** A property of DBGp with what DAP tells of a variable. */
export interface Property {
  name: string;
  /** By which the engine finds it again. */
  fullName: string;
  value: string;
  type: string;
  children: number;
  /** A list: its children have numbers and no names. */
  isList: boolean;
  /** The children that came with it. */
  page: Property[];
}

export function readProperty(element: Element): Property {
  const type = attribute(element, 'type');
  const facet = attribute(element, 'facet');
  const shown = attribute(element, 'amber:type') || attribute(element, 'classname') || type;
  const page = childrenOf(element, 'property').map(readProperty);
  return {
    name: attribute(element, 'name'),
    fullName: attribute(element, 'fullname'),
    value: element.hasAttribute('amber:text')
      ? attribute(element, 'amber:text')
      : plainText(element, type, page),
    type: facet === '' ? shown : `${shown}, ${facet}`,
    children: Number(attribute(element, 'numchildren') || page.length),
    isList: attribute(element, 'amber:list') === '1',
    page,
  };
}

/** For engines that send no text of their own. */
function plainText(element: Element, type: string, page: Property[]): string {
  const content = page.length > 0 ? '' : textOf(element);
  switch (type) {
    case 'string':
      return `'${content.replaceAll("'", "\\'")}'`;
    case 'bool':
      return content === '1' ? 'true' : 'false';
    case 'array':
      return `array(${attribute(element, 'numchildren') || 0})`;
    case 'object':
      return attribute(element, 'classname') || 'object';
    default:
      return content === '' ? type : content;
  }
}

/** The expression that reaches a property; undefined where there is none. */
export function pathOf({ fullName }: Property): string | undefined {
  return fullName.startsWith('$') && !fullName.includes('->{') ? fullName : undefined;
}
