import { randomBytes } from 'node:crypto';
import { faultsOf } from '../core/requests/expect.js';
import { newTraceparent, type RequestSpec } from '../core/requests/request.js';
import { ownTracestate } from '../targets/own-requests.js';

/** What has become of a request that was sent. */
export interface SentResponse {
  request: string;
  status: number | null;
  milliseconds: number;
  headers: Record<string, string>;
  body: string;
  error: string | null;
  /** The trace that it was sent in (W3C Trace Context). */
  traceparent: string;
  /** What is not as expected; null when nothing was expected. */
  faults: string[] | null;
}

/** Bytes of a response that are kept. */
const MOST = 1_000_000;

/** Sends a request with a trace context of its own, unless it has one. It never fails: `error` says why nothing came. */
export async function perform(spec: RequestSpec, signal?: AbortSignal): Promise<SentResponse> {
  const request = `${spec.method} ${spec.url}`;
  const headers = {
    traceparent: newTraceparent(randomBytes),
    tracestate: ownTracestate(process.env),
    ...spec.headers,
  };
  const { traceparent } = headers;
  const began = performance.now();
  try {
    const response = await fetch(spec.url, {
      method: spec.method,
      headers,
      ...(spec.body === undefined ? {} : { body: spec.body }),
      redirect: 'manual',
      ...(signal ? { signal } : {}),
    });
    const body = await response.text();
    const answer = { status: response.status, headers: Object.fromEntries(response.headers), body };
    return {
      request,
      status: response.status,
      milliseconds: performance.now() - began,
      headers: answer.headers,
      body: body.slice(0, MOST),
      error: null,
      traceparent,
      faults: spec.expect ? faultsOf(answer, spec.expect) : null,
    };
  } catch (thrown) {
    const { cause, message } = thrown as Error;
    const why = cause instanceof Error ? cause.message || (cause as NodeJS.ErrnoException).code : message;
    const milliseconds = performance.now() - began;
    const error = why ?? message;
    const faults = spec.expect ? ['there is no answer'] : null;
    return { request, status: null, milliseconds, headers: {}, body: '', error, traceparent, faults };
  }
}
