/** Which HTTP requests are meant; what is not given may be anything. */
export interface RequestPattern {
  method?: string;
  /** With `*` for any text; without a question mark it is for every query. */
  path?: string;
  header?: { name: string; value: string };
}

/** `*` stands for every method, `JOB` for what a worker does: its path is the name of the job. */
export const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'JOB', '*'];

/** The pattern as it is typed after `for`: `request POST /quotes*`, `header x-user=ada`, or both. */
export function formatPattern({ method, path, header }: RequestPattern): string {
  const request = method === undefined && path === undefined ? '' : `request ${method ?? '*'} ${path ?? '*'}`;
  const value = header && (/^[^\s"]+$/.test(header.value) ? header.value : JSON.stringify(header.value));
  return [request, header ? `header ${header.name}=${value}` : ''].filter(Boolean).join(' ');
}

/** A regular expression, as text, for the path of a pattern. */
export function pathExpression(path: string): string {
  const parts = path.split('*').map((part) => part.replace(/[\\^$.+?()[\]{}|/]/g, '\\$&'));
  return `^${parts.join('[^]*')}$`;
}

/** What is known of a request that is compared with a pattern. */
export interface SeenRequest {
  method: string;
  /** Path with query. */
  target: string;
}

/** Whether a request has the method and path of a pattern. Headers are compared where the request is served. */
export function hasPlace(request: SeenRequest, pattern: RequestPattern): boolean {
  const { method, path } = placeOf(pattern);
  const target = path.includes('?') ? request.target : (request.target.split('?')[0] ?? '');
  const isMethod = method === '*' || method === request.method.toUpperCase();
  return isMethod && new RegExp(pathExpression(path)).test(target);
}

/** Method and path of a pattern, `*` for what is not given (contract/requests.json). */
export function placeOf({ method, path }: RequestPattern): { method: string; path: string } {
  return { method: (method || '*').toUpperCase(), path: path || '*' };
}
