/** What may stand where an address is expected. */
const ADDRESS = /^(?:\*|\/|https?:\/\/\S|[\w.*-]+(?::\d+)?(?:\/|$))/;

/** Whether a text may be an address: `/permits*` at any host, `harbour:8002/permits*`, `http://harbour:8002/*`. */
export function isAddress(text: string): boolean {
  return ADDRESS.test(text) && !/\s/.test(text);
}

/**
 * A regular expression, as text that every language of ours reads alike, for whole addresses
 * (`scheme://host[:port]/path[?query]`, a port only where it is not the scheme's own). Without a question mark it means every query.
 */
export function addressExpression(url: string): string {
  if (url === '*') {
    return '^';
  }
  const query = url.includes('?') ? '' : '(?:\\?.*)?';
  if (url.startsWith('/')) {
    return `^[a-z]+://[^/]*${literal(url)}${query}$`;
  }
  const scheme = url.includes('://') ? '' : '[a-z]+://';
  // A host alone means all that is there.
  const path = /^(?:https?:\/\/)?[^/]+$/.test(url) ? '(?:/.*)?' : '';
  return `^${scheme}${literal(url)}${path}${query}$`;
}

/** Text as it stands, with `*` for any. */
function literal(text: string): string {
  const parts = text.split('*').map((part) => part.replace(/[\\^$.+?()[\]{}|]/g, '\\$&'));
  return parts.join('.*');
}
