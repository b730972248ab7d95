import { useMemo, useState } from 'preact/hooks';
import type { TrailRequest } from '../../../core/trail/summary.js';
import { Chart, type PointKind } from './chart.js';
import { countOf, duration, number, seconds, shortDuration } from './format.js';
import type { Trail } from './trail.js';
import { Window } from './window.js';

const KINDS: PointKind[] = [
  { name: 'good', colour: '--good', shape: 'circle' },
  { name: 'faulty', colour: '--bad', shape: 'diamond' },
  { name: 'failed (status 500 and above)', colour: '--failed', shape: 'diamond' },
  { name: 'not judged', colour: '--plain', shape: 'square' },
];
/** Longest duration over shortest from which on the axis is logarithmic. */
const WIDE = 50;

export interface Filter {
  text: string;
  target: string;
  answer: string;
  /** Only requests that nobody in the trail has made. */
  isOutermost: boolean;
  range: [number, number] | undefined;
}

export const NO_FILTER: Filter = { text: '', target: '', answer: '', isOutermost: false, range: undefined };

type Column = 'id' | 'from' | 'status' | 'ms' | 'hits' | 'path' | 'name' | 'verdict';
const COLUMNS: [Column, string][] = [
  ['id', 'request'],
  ['from', 'at'],
  ['status', 'status'],
  ['ms', 'time'],
  ['hits', 'hits'],
  ['path', 'what'],
  ['name', 'target'],
  ['verdict', 'answer'],
];

function kindOf({ verdict, status }: TrailRequest): number {
  if (verdict !== null) {
    return verdict === 'good' ? 0 : 1;
  }
  return status !== null && status >= 500 ? 2 : 3;
}

function isWanted(trail: Trail, roots: Set<number>, request: TrailRequest, filter: Filter): boolean {
  const { text, target, answer, range, isOutermost } = filter;
  const answers: Record<string, boolean> = {
    good: request.verdict === 'good',
    faulty: request.verdict === 'faulty',
    failed: request.status !== null && request.status >= 500,
    errors: request.errors > 0,
    open: !request.isOver,
  };
  return (
    (target === '' || request.name === target) &&
    (answer === '' || answers[answer] === true) &&
    (!isOutermost || roots.has(request.id)) &&
    (range === undefined || (request.from / 1000 >= range[0] && request.from / 1000 <= range[1])) &&
    (text === '' ||
      text
        .toLowerCase()
        .split(/\s+/)
        .every((word) => trail.haystack(request).includes(word)))
  );
}

function compare(one: TrailRequest, other: TrailRequest, column: Column): number {
  const [a, b] = [one[column] ?? '', other[column] ?? ''];
  return typeof a === 'number' && typeof b === 'number'
    ? a - b
    : `${a}`.localeCompare(`${b}`, 'en', { numeric: true });
}

interface OverviewProps {
  trail: Trail;
  filter: Filter;
  onFilter: (filter: Filter) => void;
  onOpen: (id: number) => void;
  theme: string;
}

/** All requests: over time in a picture, and in a table. */
export function Overview({ trail, filter, onFilter, onOpen, theme }: OverviewProps) {
  const [order, setOrder] = useState<{ column: Column; isDown: boolean }>({ column: 'from', isDown: false });
  const [selected, setSelected] = useState(0);
  const roots = useMemo(() => trail.roots, [trail]);
  const wanted = useMemo(
    () => trail.requests.filter((request) => isWanted(trail, roots, request, filter)),
    [trail, filter],
  );
  const rows = useMemo(() => {
    const sorted = [...wanted].sort((one, other) => compare(one, other, order.column));
    return order.isDown ? sorted.reverse() : sorted;
  }, [wanted, order]);
  const points = useMemo(
    () =>
      wanted.map((request) => ({
        x: request.from / 1000,
        y: Math.max(0.001, request.ms ?? request.to - request.from),
        kind: kindOf(request),
        id: request.id,
        title: `${request.method} ${request.path}, ${duration(request.ms)}, request ${request.id}`,
      })),
    [wanted],
  );
  const times = points.map(({ y }) => y);
  const isWide =
    times.reduce((a, b) => Math.max(a, b), 0) >
    WIDE * times.reduce((a, b) => Math.min(a, b), Number.POSITIVE_INFINITY);
  const present = KINDS.map((kind, index) => ({
    ...kind,
    count: points.filter((point) => point.kind === index).length,
  }));
  const sort = (column: Column) =>
    setOrder(({ column: before, isDown }) => ({ column, isDown: before === column ? !isDown : false }));
  return (
    <main>
      <section aria-label="requests over time">
        <h2>Requests over time</h2>
        <ul class="legend">
          {present
            .filter(({ count }) => count > 0)
            .map(({ name, colour, shape, count }) => (
              <li key={name}>
                <span class={`sign ${shape}`} style={{ background: `var(${colour})` }} aria-hidden="true" />
                {number(count)} {name}
              </li>
            ))}
        </ul>
        <Chart
          label={`How long each of ${countOf(points.length, 'request')} took, over time; the table below has the same.`}
          points={points}
          kinds={KINDS}
          unit={shortDuration}
          height={220}
          isLogarithmic={isWide}
          onPick={onOpen}
          onRange={(range) => onFilter({ ...filter, range })}
          theme={theme}
        />
      </section>
      <section aria-label="requests">
        <Filters trail={trail} filter={filter} onFilter={onFilter} shown={rows.length} />
        <Window
          role="grid"
          label="all requests"
          count={rows.length}
          rowHeight={28}
          height={Math.max(260, innerHeight - 470)}
          selected={Math.min(selected, rows.length - 1)}
          onSelect={setSelected}
          onOpen={(index) => rows[index] && onOpen(rows[index].id)}
          head={
            <div class="row head requests" role="row">
              {COLUMNS.map(([column, title]) => (
                <span
                  key={column}
                  role="columnheader"
                  class={column}
                  aria-sort={order.column !== column ? 'none' : order.isDown ? 'descending' : 'ascending'}
                >
                  <button type="button" onClick={() => sort(column)}>
                    {title}
                    {order.column === column ? (order.isDown ? ' ▾' : ' ▴') : ''}
                  </button>
                </span>
              ))}
            </div>
          }
          row={(index) => rows[index] && <Row request={rows[index]} />}
        />
        {rows.length === 0 ? <p class="none">No request is like that.</p> : null}
      </section>
    </main>
  );
}

function Row({ request }: { request: TrailRequest }) {
  const { id, from, status, ms, hits, errors, method, path, target, name, verdict, isOver } = request;
  return (
    <div class="requests" role="presentation">
      <span role="gridcell" class="id">
        <a href={`#/request/${id}`} tabIndex={-1}>
          {id}
        </a>
      </span>
      <span role="gridcell" class="from">
        {seconds(from)}
      </span>
      <span role="gridcell" class={`status${status !== null && status >= 400 ? ' bad' : ''}`}>
        {status ?? '—'}
      </span>
      <span role="gridcell" class="ms">
        {ms === null && !isOver ? 'not ended' : duration(ms)}
      </span>
      <span role="gridcell" class="hits">
        {number(hits)}
        {errors > 0 ? <em class="bad"> {countOf(errors, 'error')}</em> : null}
      </span>
      <span role="gridcell" class="path" title={`${method} ${path}`}>
        <b>{method}</b> {path}
      </span>
      <span role="gridcell" class="target" title={target}>
        {name}
      </span>
      <span role="gridcell" class={`verdict ${verdict ?? ''}`}>
        {verdict === 'faulty' ? '◆ faulty' : verdict === 'good' ? '● good' : ''}
      </span>
    </div>
  );
}

interface FiltersProps {
  trail: Trail;
  filter: Filter;
  onFilter: (filter: Filter) => void;
  shown: number;
}

function Filters({ trail, filter, onFilter, shown }: FiltersProps) {
  const isFiltered = JSON.stringify(filter) !== JSON.stringify(NO_FILTER);
  return (
    <form class="filters" role="search" onSubmit={(event) => event.preventDefault()}>
      <label>
        Search
        <input
          id="search"
          type="search"
          placeholder="path, value, trace …"
          value={filter.text}
          onInput={(event) => onFilter({ ...filter, text: event.currentTarget.value })}
        />
      </label>
      <label>
        Target
        <select
          value={filter.target}
          onChange={(event) => onFilter({ ...filter, target: event.currentTarget.value })}
        >
          <option value="">all</option>
          {trail.targets.map((target) => (
            <option key={target} value={target}>
              {target}
            </option>
          ))}
        </select>
      </label>
      <label>
        Answer
        <select
          value={filter.answer}
          onChange={(event) => onFilter({ ...filter, answer: event.currentTarget.value })}
        >
          <option value="">all</option>
          <option value="good">good</option>
          <option value="faulty">faulty</option>
          <option value="failed">status 500 and above</option>
          <option value="errors">with errors in marks</option>
          <option value="open">not ended</option>
        </select>
      </label>
      <label class="check">
        <input
          type="checkbox"
          checked={filter.isOutermost}
          onChange={(event) => onFilter({ ...filter, isOutermost: event.currentTarget.checked })}
        />
        outermost only
      </label>
      <output aria-live="polite">
        {shown === trail.requests.length
          ? countOf(shown, 'request')
          : `${number(shown)} of ${countOf(trail.requests.length, 'request')}`}
      </output>
      {isFiltered ? (
        <button type="button" onClick={() => onFilter(NO_FILTER)}>
          show all
        </button>
      ) : null}
    </form>
  );
}
