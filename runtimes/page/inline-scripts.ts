import { type DefaultTreeAdapterTypes, parse } from 'parse5';

/** A script in the text of a document. */
export interface InlineScript {
  /** Where its text begins, in UTF-16 units. */
  offset: number;
  text: string;
  /** From 0, in the document. */
  startLine: number;
  startColumn: number;
  endLine: number;
}

const HTML = 'http://www.w3.org/1999/xhtml';
/** What `type` says of a script that is run (HTML, "JavaScript MIME type essence match"; `module`). */
const JAVASCRIPT = /^\s*(?:|module|(?:text|application)\/(?:x-)?(?:java|ecma)script)\s*$/i;

/** The scripts that stand in a document. @param html with `\n` at the ends of its lines, as a browser reads it */
export function inlineScripts(html: string): InlineScript[] {
  const found: InlineScript[] = [];
  visit(parse(html, { sourceCodeLocationInfo: true }), found);
  return found;
}

function visit(node: DefaultTreeAdapterTypes.Node, found: InlineScript[]): void {
  if ('tagName' in node && node.tagName === 'script' && node.namespaceURI === HTML) {
    const attribute = (name: string) => node.attrs.find((each) => each.name === name)?.value;
    const [child] = node.childNodes;
    const at = child?.sourceCodeLocation;
    if (
      attribute('src') === undefined &&
      JAVASCRIPT.test(attribute('type') ?? '') &&
      child?.nodeName === '#text' &&
      'value' in child &&
      at
    ) {
      found.push({
        offset: at.startOffset,
        text: child.value,
        startLine: at.startLine - 1,
        startColumn: at.startCol - 1,
        endLine: at.endLine - 1,
      });
    }
    return;
  }
  // The content of a template is no part of its document.
  for (const child of 'childNodes' in node ? node.childNodes : []) {
    visit(child, found);
  }
}
