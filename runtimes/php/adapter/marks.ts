import { readRule, ruleRow, type Wanted } from '../../../src/adapters/wanted.js';
import type { HitRule } from '../../../src/core/marks/hit-rule.js';
import type { Plan, PlanMark } from './plan.js';

/** Where a mark stands. */
export type MarkPlace =
  | { kind: 'line'; path: string; line: number }
  | { kind: 'function'; name: string }
  | { kind: 'request'; method: string; path: string }
  | { kind: 'sends'; method: string; matches: string };

/** What `$sent` has, and where a text asks for what is there with the answer only. */
const PARTS = ['method', 'url', 'headers', 'body', 'status'];
const STATUS = /\$sent\s*\??->\s*status\b/;

interface Counts {
  hits: number;
  errors: number;
  first: string;
}

/** A mark as the client asked for it, what the checker says of it, and what requests have counted. */
export class Mark {
  readonly rule: HitRule | undefined;
  /** Why it is nowhere; '' where it is somewhere. */
  trouble: string;
  /** Where it stands; undefined until that is known. */
  found: { path: string; line: number; extent?: [number, number] | null } | undefined;
  /** What else is to be known of it. */
  note = '';
  route: 'spliced' | 'engine' = 'spliced';
  /** Whether it is not known that requests look at marks at all. */
  /** What is said as long as no request has looked at the plan. */
  unread = '';
  readonly #ended: Counts = { hits: 0, errors: 0, first: '' };
  readonly #underWay = new Map<number, Counts>();

  constructor(
    readonly id: number,
    readonly place: MarkPlace,
    readonly wanted: Wanted,
  ) {
    const { rule, trouble } = readRule(wanted.rule);
    this.rule = rule;
    this.trouble = trouble;
  }

  isSame(place: MarkPlace, wanted: Wanted): boolean {
    return JSON.stringify([place, wanted]) === JSON.stringify([this.place, this.wanted]);
  }

  /** What a request has counted so far; what it told before is in it. */
  count(request: number, counts: Counts): void {
    this.#underWay.set(request, counts);
  }

  /** A request has ended: what it counted stays. */
  settle(request: number): void {
    const counts = this.#underWay.get(request);
    this.#underWay.delete(request);
    if (counts !== undefined) {
      this.#ended.hits += counts.hits;
      this.#ended.errors += counts.errors;
      this.#ended.first ||= counts.first;
    }
  }

  get counts(): { hits: number; errors: number; firstError: string | null } {
    const all = [this.#ended, ...this.#underWay.values()];
    return {
      hits: all.reduce((sum, { hits }) => sum + hits, 0),
      errors: all.reduce((sum, { errors }) => sum + errors, 0),
      firstError: all.find(({ first }) => first)?.first ?? null,
    };
  }

  /** As the plan has it. */
  planned(): PlanMark {
    const { kind, condition, values, limits, only } = this.wanted;
    const base = {
      id: this.id,
      kind,
      condition,
      values,
      rule: this.rule === undefined ? null : ruleRow(this.rule),
      inRequest: this.rule?.inRequest === true,
      ...limits,
      only,
    };
    switch (this.place.kind) {
      case 'line':
        return { ...base, line: this.place.line };
      case 'function':
        return { ...base, name: this.place.name };
      case 'request':
        return { ...base, method: this.place.method, path: this.place.path };
      case 'sends': {
        // A part alone is that of what is sent.
        const asked = values.map((value) => (PARTS.includes(value) ? `$sent->${value}` : value));
        const answered = [condition, ...asked].some((text) => STATUS.test(text));
        return { ...base, values: asked, method: this.place.method, matches: this.place.matches, answered };
      }
    }
  }

  /** The DAP Breakpoint. */
  describe(): object {
    const asked = this.place.kind === 'line' ? this.place : undefined;
    const moved =
      asked && this.found && asked.line !== this.found.line
        ? `line ${asked.line} has no code; the next is line ${this.found.line}`
        : '';
    const note = this.trouble || [moved, this.note, this.unread].filter(Boolean).join('; ');
    const where = this.found ?? asked;
    return {
      id: this.id,
      verified: this.trouble === '',
      ...(where ? { line: where.line, source: { path: where.path } } : {}),
      ...(note ? { message: note } : {}),
      amber: {
        route: this.trouble === '' ? this.route : null,
        note: note || null,
        ...(this.found?.extent ? { extent: this.found.extent } : {}),
        ...this.counts,
      },
    };
  }
}

/** What requests are to know of marks: those whose expressions are PHP. */
export function plannedMarks(
  marks: readonly Mark[],
): Pick<Plan, 'files' | 'functions' | 'requests' | 'sends'> {
  const usable = marks.filter(({ trouble }) => trouble === '');
  const files: Plan['files'] = {};
  for (const mark of usable) {
    if (mark.place.kind === 'line') {
      const { path } = mark.place;
      files[path] = [...(files[path] ?? []), mark.planned()];
    }
  }
  const ofKind = (kind: MarkPlace['kind']) =>
    usable.filter(({ place }) => place.kind === kind).map((mark) => mark.planned());
  return { files, functions: ofKind('function'), requests: ofKind('request'), sends: ofKind('sends') };
}
