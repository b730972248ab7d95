import { AmberError } from '../errors.js';
import type { Expectation } from './expect.js';

/** An HTTP request to send. */
export interface RequestSpec {
  method: string;
  url: string;
  headers: Record<string, string>;
  body: string | undefined;
  /** What a good answer is like. */
  expect?: Expectation;
}

/** A request as it is written in amber.yaml, or put together from options. */
export interface WrittenRequest {
  method?: string;
  url: string;
  headers?: Record<string, string>;
  /** A text as it is; anything else is sent as JSON. */
  body?: unknown;
  form?: Record<string, string>;
  expect?: Expectation;
}

const METHODS = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);

/**
 * Reads `[METHOD] URL [BODY]`: with a body and without a method it is a POST; a body that is JSON says so.
 * @throws AmberError `AL_USAGE`
 */
export function parseRequest(text: string): RequestSpec {
  const [, word = '', rest = ''] = /^\s*(\S*)\s*(.*)$/s.exec(text) ?? [];
  const isMethod = METHODS.has(word.toUpperCase()) && !/^https?:/.test(word);
  const [, address = '', body = ''] = /^(\S*)\s*(.*)$/s.exec(isMethod ? rest : text.trim()) ?? [];
  const url = readUrl(address);
  const trimmed = body.trim();
  const method = isMethod ? word.toUpperCase() : trimmed === '' ? 'GET' : 'POST';
  return {
    method,
    url,
    headers: trimmed === '' ? {} : { 'content-type': contentType(trimmed) },
    body: trimmed === '' ? undefined : trimmed,
  };
}

/** A request of amber.yaml. @throws AmberError `AL_USAGE` */
export function buildRequest({ method, url, headers = {}, body, form, expect }: WrittenRequest): RequestSpec {
  const text = form
    ? new URLSearchParams(form).toString()
    : typeof body === 'string'
      ? body
      : JSON.stringify(body);
  const spec = parseRequest(`${method ?? (text === undefined ? 'GET' : 'POST')} ${url} ${text ?? ''}`);
  const given = Object.fromEntries(
    Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]),
  );
  return { ...spec, headers: { ...spec.headers, ...given }, ...(expect ? { expect } : {}) };
}

function readUrl(address: string): string {
  const full = /^https?:\/\//.test(address) ? address : `http://${address.replace(/^:/, 'localhost:')}`;
  const url = URL.canParse(full) ? new URL(full) : undefined;
  if (address === '' || url === undefined || url.hostname === '') {
    throw new AmberError(
      'AL_USAGE',
      address === '' ? 'an address is missing' : `${JSON.stringify(address)} is no address`,
      'for example `send POST http://localhost:8000/quotes {"from": "Holm"}`',
    );
  }
  return url.href;
}

function contentType(body: string): string {
  try {
    JSON.parse(body);
    return 'application/json';
  } catch {
    return /^[^\s=&]+=/.test(body) ? 'application/x-www-form-urlencoded' : 'text/plain; charset=utf-8';
  }
}

/** A new trace with one span, as the header `traceparent` has it (W3C Trace Context, 3.2). */
export function newTraceparent(random: (bytes: number) => Uint8Array): string {
  const hex = (bytes: number) => Buffer.from(random(bytes)).toString('hex');
  return `00-${hex(16)}-${hex(8)}-01`;
}
