import type { Span } from './parents.js';
import type { RecordOf, TrailRecord } from './records.js';

/** A request as its records tell it, up to where the trail has been read. */
export interface RecordedRequest extends Span {
  /** What its target is called. */
  name: string;
  method: string;
  path: string;
  /** Whether its end was told; until then `to` is when something was last told of it. */
  isOver: boolean;
  status: number | null;
  /** Milliseconds that it took, by its target's clock. */
  ms: number | null;
  calls: Set<string>;
}

/** A request that has just begun. */
export function begun({
  id,
  target,
  name = target,
  method,
  path,
  traceparent,
  at,
}: RecordOf<'request'>): RecordedRequest {
  const ends = { from: at, to: at, isOver: false, status: null, ms: null };
  return { id, target, name, method, path, traceparent, ...ends, calls: new Set() };
}

/** Something was told of a request at a time of the trail. */
export function touch(request: RecordedRequest, at: number): void {
  request.to = Math.max(request.to, at);
}

/** A request has been answered. */
export function end(request: RecordedRequest, { at, status, ms }: RecordOf<'ended'>): void {
  Object.assign(request, { isOver: true, status, ms });
  touch(request, at);
}

/** What a trail says of its targets, marks and sources, up to where it has been read: what its other records refer to. */
export class Recorded {
  readonly targets = new Map<string, { name: string; runtime: string | null }>();
  /** By number: kind and words of each mark. */
  readonly marks = new Map<number, { kind: 'log' | 'count' | 'follow'; text: string }>();
  readonly #places = new Map<string, { path: string; line: number }>();
  readonly #sources = new Map<string, RecordOf<'source'>>();

  add(record: TrailRecord): void {
    switch (record.kind) {
      case 'trail':
        for (const { target, name, runtime } of record.targets) {
          this.targets.set(target, { name, runtime });
        }
        for (const { number, kind, text } of record.marks) {
          this.marks.set(number, { kind, text });
        }
        break;
      case 'target':
        this.targets.set(record.target, { name: record.name, runtime: record.runtime });
        break;
      case 'place':
        this.#places.set(`${record.target} ${record.mark}`, record);
        break;
      case 'source':
        this.#sources.set(record.path, record);
        break;
      default:
        break;
    }
  }

  /** Where a hit was: its line where lines are followed, else where its mark stands in its target. */
  placeOf({ target, mark, follow }: RecordOf<'hit'>): { path: string; line: number } | undefined {
    return follow ?? this.#places.get(`${target} ${mark}`);
  }

  /** What the trail carries of files. */
  get sources(): RecordOf<'source'>[] {
    return [...this.#sources.values()];
  }

  /** A line of source, where the trail carries it. */
  sourceAt(path: string | undefined, line: number | undefined): string | undefined {
    const source = this.#sources.get(path ?? '');
    return source?.lines[(line ?? 0) - source.first];
  }
}
