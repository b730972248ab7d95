import { appendTo } from '../../../core/collections.js';
import { parentsOf } from '../../../core/trail/parents.js';
import type { RecordOf, TrailRecord } from '../../../core/trail/records.js';
import { TrailStory } from '../../../core/trail/story.js';
import { type TrailRequest, TrailSummary } from '../../../core/trail/summary.js';

/** What the page has besides the records: why some of them are not there. */
export interface PageFacts {
  name: string;
  /** Records that were left out since the page would be too large. */
  leftHits: number;
  leftRequests: number;
}

/** A value of a mark's expression at one hit. */
export interface Sample {
  at: number;
  value: string;
  /** Undefined for what is no number. */
  number: number | undefined;
  request: number | null;
}

/** An expression of a mark, with all that it came to. */
export interface Series {
  mark: number;
  expression: string;
  samples: Sample[];
}

/** A trail in the browser: its records, summed up by the same code that the command line uses. */
export class Trail {
  readonly summary = new TrailSummary(Number.POSITIVE_INFINITY);
  readonly requests: TrailRequest[];
  readonly targets: string[];
  readonly #byRequest = new Map<number, RecordOf<'hit'>[]>();
  readonly #haystacks = new Map<number, string>();

  constructor(
    readonly records: readonly TrailRecord[],
    readonly facts: PageFacts,
  ) {
    for (const record of records) {
      this.summary.add(record);
      if (record.kind === 'hit' && record.request !== null) {
        appendTo(this.#byRequest, record.request, record);
      }
    }
    this.requests = [...this.summary.requests.values()].sort((one, other) => one.from - other.from);
    this.targets = [...new Set(this.requests.map(({ name }) => name))];
  }

  /** Everything that can be searched for of a request, in lower case. */
  haystack(request: TrailRequest): string {
    const known = this.#haystacks.get(request.id);
    if (known !== undefined) {
      return known;
    }
    const { id, method, path, target, name, status, verdict, traceparent } = request;
    const hits = (this.#byRequest.get(id) ?? []).slice(0, 200);
    const told = hits.map(
      ({ text, values }) =>
        `${text} ${values.map(({ expression, value }) => `${expression}=${value}`).join(' ')}`,
    );
    const text = [`#${id}`, `${method} ${path}`, name, target, status, verdict, traceparent, ...told]
      .join('\n')
      .toLowerCase();
    this.#haystacks.set(id, text);
    return text;
  }

  story(id: number): TrailStory | undefined {
    const story = new TrailStory(id);
    for (const record of this.records) {
      story.find(record);
    }
    if (story.wanted === undefined) {
      return undefined;
    }
    for (const record of this.records) {
      story.add(record);
    }
    story.finish();
    return story;
  }

  /** Whether a request was made by nobody else in the trail. */
  get roots(): Set<number> {
    const roots = new Set(this.requests.map(({ id }) => id));
    for (const id of parentsOf(this.requests).keys()) {
      roots.delete(id);
    }
    return roots;
  }

  /** Every expression of every logpoint, in the order of the marks. */
  get series(): Series[] {
    const all = new Map<string, Series>();
    for (const record of this.records) {
      if (record.kind !== 'hit' || record.follow !== undefined) {
        continue;
      }
      for (const { expression, value } of record.values) {
        const key = `${record.mark} ${expression}`;
        const series = all.get(key) ?? { mark: record.mark, expression, samples: [] };
        series.samples.push({ at: record.at, value, number: numberIn(value), request: record.request });
        all.set(key, series);
      }
    }
    return [...all.values()].sort((one, other) => one.mark - other.mark);
  }
}

/** The number that a value is: `12`, `-50.40`, or one that its type is written around, such as `Decimal('5')`. */
export function numberIn(value: string): number | undefined {
  const [, plain, wrapped] =
    /^(?:(-?\d+(?:\.\d+)?(?:e[+-]?\d+)?)|[\w.]+\(["']?(-?\d+(?:\.\d+)?)["']?\))n?$/i.exec(value) ?? [];
  const digits = plain ?? wrapped;
  return digits === undefined ? undefined : Number(digits);
}

/** The records that the page carries: lines of JSON, compressed, in base 64. */
export async function unpack(packed: string): Promise<TrailRecord[]> {
  const bytes = Uint8Array.from(atob(packed), (character) => character.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream('gzip'));
  const text = await new Response(stream).text();
  return text
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as TrailRecord);
}
