import { AmberError } from '../errors.js';
import { buildRequest, parseRequest, type RequestSpec, type WrittenRequest } from './request.js';

/** What a command changes of a request: a body or a form takes the place of either. */
export type RequestChanges = Pick<WrittenRequest, 'headers' | 'body' | 'form'>;

/**
 * The request that is meant by a name of amber.yaml, or by `[METHOD] URL [BODY]`.
 * @param named the requests of amber.yaml
 * @throws AmberError `AL_USAGE` naming those that there are
 */
export function requestFrom(
  words: readonly string[],
  named: Readonly<Record<string, WrittenRequest>>,
  changes: RequestChanges = {},
): RequestSpec {
  const [name = ''] = words;
  const written = words.length === 1 && Object.hasOwn(named, name) ? named[name] : undefined;
  const hasBody = changes.body !== undefined || changes.form !== undefined;
  if (written !== undefined) {
    const { body, form, ...rest } = written;
    const bodies = { ...(body === undefined ? {} : { body }), ...(form === undefined ? {} : { form }) };
    const headers = { ...written.headers, ...changes.headers };
    return buildRequest({ ...rest, ...(hasBody ? {} : bodies), ...changes, headers });
  }
  if (words.length === 1 && /^[\w-]+$/.test(name) && name !== 'localhost') {
    const names = Object.keys(named).join(', ');
    const hint =
      names === '' ? 'an address: amber send localhost:8000/quotes' : `there are ${names}; or an address`;
    throw new AmberError('AL_USAGE', `amber.yaml has no request ${name}`, hint);
  }
  const { method, url, body } = parseRequest(words.join(' '));
  const isPost = method === 'GET' && words.length === 1 && hasBody;
  const own = body === undefined || hasBody ? {} : { body };
  return buildRequest({ method: isPost ? 'POST' : method, url, ...own, ...changes });
}
