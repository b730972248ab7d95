/** The protocols on the way from the prompt to an interpreter. */
export type Layer = 'dap' | 'v8' | 'dbgp';
/** Where a line goes: which layer, whether it was sent or received, and what it was. */
export type DebugSink = (layer: Layer, direction: 'sent' | 'received', what: string) => void;

let sink: DebugSink | undefined;

/** Has every message on every layer told, in short; undefined ends that. */
export function setDebugSink(to: DebugSink | undefined): void {
  sink = to;
}

/** A message of DAP: its kind, its numbers, and what it is about. */
export function dapInShort(message: unknown): string {
  const { seq, type, command, event, request_seq, success } = (message ?? {}) as Record<string, unknown>;
  const about = [
    seq,
    type,
    command ?? event,
    request_seq && `to ${request_seq}`,
    success === false && 'failed',
  ];
  return `${about.filter(Boolean).join(' ')} ${JSON.stringify(message ?? null).length}`;
}

/**
 * Tells of a message: its kind, numbers and size, never a value that it carries, so that nothing secret can be in it.
 * `what` is computed only when somebody listens.
 */
export function debug(layer: Layer, direction: 'sent' | 'received', what: () => string): void {
  sink?.(layer, direction, what());
}
