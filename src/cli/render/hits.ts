import type { Hit, LeftOut } from '../../core/marks/told.js';
import type { TargetName } from '../../core/target-name.js';
import type { Output } from './output.js';
import { requestRecord } from './records.js';
import type { TableContext } from './tables.js';
import { clip, requestText, shortPath } from './text.js';

/** Tells hits of logpoints, a line each; runs of the same text are folded. */
export class HitLines {
  #last: { key: string; more: number } | undefined;

  constructor(
    private readonly output: Output,
    private readonly context: () => TableContext,
    /** Takes each hit as a line of JSON too (`--out`). */
    private readonly record: ((line: string) => void) | undefined,
  ) {}

  /** Hits of one target in the order in which they came, and how many its limits left out. */
  tell(target: TargetName, hits: readonly Hit[], dropped: LeftOut): void {
    for (const hit of this.record ? hits : []) {
      this.record?.(JSON.stringify(hitRecord(target, hit)));
    }
    if (this.output.json) {
      for (const hit of hits) {
        this.output.tell(hitRecord(target, hit), () => '');
      }
    } else {
      this.#tellLines(target, hits);
    }
    for (const [mark, { count, unread }] of dropped) {
      const { id, name } = target;
      const record = { kind: 'dropped' as const, target: id, name, mark: mark.number, count, unread };
      this.record?.(JSON.stringify(record));
      const told = `${count.toLocaleString('en')} more of mark ${mark.number} were left out: ${whyLeftOut(count, unread)}`;
      this.output.tell(record, () => this.output.palette.waiting(`  ${told}`));
    }
  }

  #tellLines({ name }: TargetName, hits: readonly Hit[]): void {
    for (const hit of hits) {
      const key = `${name} ${hit.request ? requestText(hit.request) : ''} ${hit.mark.number} ${hit.text}`;
      if (this.#last?.key === key) {
        this.#last.more += 1;
        continue;
      }
      this.#tellFold();
      this.#last = { key, more: 0 };
      this.output.remark(this.#line(name, hit));
    }
    this.#tellFold();
  }

  #tellFold(): void {
    const more = this.#last?.more ?? 0;
    if (this.#last !== undefined && more > 0) {
      this.output.remark(this.output.palette.faint(`  + ${more.toLocaleString('en')} alike`));
      this.#last.more = 0;
    }
  }

  #line(target: string, hit: Hit): string {
    const { palette, width, here } = this.context();
    const { path, spec } = hit.mark;
    const line = spec.place.kind === 'line' ? `:${spec.place.line}` : '';
    const place = path ? `${shortPath(path, here)}${line}` : `mark ${hit.mark.number}`;
    const request = hit.request ? ` ${clip(requestText(hit.request), Math.floor(width / 4))}` : '';
    const now = `${clockTime(new Date())} ${target}`;
    const taken = `${now}${request} ${place}  `.length;
    const text = clip(hit.text.replaceAll('\n', '⏎'), Math.max(20, width - taken));
    return `${palette.faint(now)}${palette.strong(request)} ${palette.place(place)}  ${
      hit.error === undefined ? text : palette.bad(text)
    }`;
  }
}

function hitRecord({ id: target, name }: TargetName, hit: Hit) {
  const { mark, seq, time, thread = null, values, text, error = null } = hit;
  const request = requestRecord(hit.request);
  return {
    kind: 'hit' as const,
    target,
    name,
    mark: mark.number,
    seq,
    time,
    thread,
    request,
    values,
    text,
    error,
  };
}

function clockTime(date: Date): string {
  return date.toTimeString().slice(0, 8);
}

/** Why hits were left out: a limit of the mark, or nobody read them in time. */
export function whyLeftOut(count: number, unread: number): string {
  const slow = 'they came faster than they were read';
  if (unread === 0) {
    return 'its limit';
  }
  return unread === count ? slow : `its limit, and of ${unread.toLocaleString('en')} ${slow}`;
}
