import type { Mark } from '../../core/marks/store.js';
import type { Hit, LeftOut } from '../../core/marks/told.js';
import type { TargetName } from '../../core/target-name.js';
import type { Output } from './output.js';
import { requestRecord } from './records.js';
import type { TableContext } from './tables.js';
import { clip, requestText, shortPath } from './text.js';

/** Tells hits of logpoints, a line each; runs of the same text are folded. */
export class HitLines {
  #last: { key: string; more: number } | undefined;
  /** By mark how its place is written, and the time of day of a second: the same for very many hits. */
  readonly #places = new Map<number, { path: string | undefined; line: string; text: string }>();
  #second = { at: Number.NaN, text: '' };

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

  #time(): string {
    const at = Math.floor(Date.now() / 1000);
    if (this.#second.at !== at) {
      this.#second = { at, text: new Date().toTimeString().slice(0, 8) };
    }
    return this.#second.text;
  }

  #placeOf({ number, path, spec }: Mark): string {
    const known = this.#places.get(number);
    if (known?.path === path && known?.line === lineOf(spec)) {
      return known.text;
    }
    const line = lineOf(spec);
    const text = path ? `${shortPath(path, this.context().here)}${line}` : `mark ${number}`;
    this.#places.set(number, { path, line, text });
    return text;
  }

  #line(target: string, hit: Hit): string {
    const { palette, width } = this.context();
    const place = this.#placeOf(hit.mark);
    const request = hit.request ? ` ${clip(requestText(hit.request), Math.floor(width / 4))}` : '';
    const now = `${this.#time()} ${target}`;
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

function lineOf({ place }: Mark['spec']): string {
  return place.kind === 'line' ? `:${place.line}` : '';
}

/** Why hits were left out: a limit of the mark, or nobody read them in time. */
export function whyLeftOut(count: number, unread: number): string {
  const slow = 'they came faster than they were read';
  if (unread === 0) {
    return 'its limit';
  }
  return unread === count ? slow : `its limit, and of ${unread.toLocaleString('en')} ${slow}`;
}
