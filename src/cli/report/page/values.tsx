import { useMemo, useState } from 'preact/hooks';
import { Chart, type PointKind } from './chart.js';
import { countOf, number, seconds } from './format.js';
import type { Series, Trail } from './trail.js';
import { Window } from './window.js';

const KINDS: PointKind[] = [
  { name: 'in a good request', colour: '--good', shape: 'circle' },
  { name: 'in a faulty request', colour: '--bad', shape: 'diamond' },
  { name: 'in others', colour: '--plain', shape: 'square' },
];

interface ValuesProps {
  trail: Trail;
  onOpen: (id: number) => void;
  theme: string;
}

function isOfNumbers({ samples }: Series): boolean {
  return samples.some((sample) => sample.number !== undefined);
}

/** What an expression came to over time: a picture of numbers, and how often each value came. */
export function ValuesView({ trail, onOpen, theme }: ValuesProps) {
  const all = useMemo(() => trail.series, [trail]);
  const [chosen, setChosen] = useState(() => Math.max(0, all.findIndex(isOfNumbers)));
  const series = all[chosen];
  if (series === undefined) {
    return (
      <main>
        <p class="none">No logpoint of this trail has told a value.</p>
      </main>
    );
  }
  return (
    <main>
      <section aria-label="a value over time">
        <h2>A value over time</h2>
        <form class="filters" onSubmit={(event) => event.preventDefault()}>
          <label>
            Value
            <select value={chosen} onChange={(event) => setChosen(Number(event.currentTarget.value))}>
              {all.map(({ mark, expression }, index) => (
                <option key={`${mark} ${expression}`} value={index}>
                  {expression} · {trail.summary.marks.get(mark)?.text ?? `mark ${mark}`}
                </option>
              ))}
            </select>
          </label>
          <output>{countOf(series.samples.length, 'value')}</output>
        </form>
        <SeriesChart trail={trail} series={series} onOpen={onOpen} theme={theme} />
      </section>
      <Distinct series={series} onOpen={onOpen} />
    </main>
  );
}

function SeriesChart({ trail, series, onOpen, theme }: ValuesProps & { series: Series }) {
  const points = useMemo(
    () =>
      series.samples.flatMap(({ at, number: y, request }) => {
        const { verdict = null } = trail.summary.requests.get(request ?? 0) ?? {};
        const kind = verdict === 'good' ? 0 : verdict === 'faulty' ? 1 : 2;
        return y === undefined
          ? []
          : [{ x: at / 1000, y, kind, id: request ?? 0, title: `${y} in request ${request ?? '—'}` }];
      }),
    [series],
  );
  if (points.length === 0) {
    return <p class="none">These values are no numbers; how often each came is below.</p>;
  }
  const present = KINDS.filter((_, index) => points.some(({ kind }) => kind === index));
  return (
    <>
      <ul class="legend">
        {present.map(({ name, colour, shape }) => (
          <li key={name}>
            <span class={`sign ${shape}`} style={{ background: `var(${colour})` }} aria-hidden="true" />
            {name}
          </li>
        ))}
      </ul>
      <Chart
        label={`${series.expression} over time: ${countOf(points.length, 'number')} from ${Math.min(...points.map(({ y }) => y))} to ${Math.max(...points.map(({ y }) => y))}`}
        points={points}
        kinds={KINDS}
        unit={(value) => number(value)}
        height={300}
        onPick={(id) => id > 0 && onOpen(id)}
        theme={theme}
      />
    </>
  );
}

function Distinct({ series, onOpen }: { series: Series; onOpen: (id: number) => void }) {
  const rows = useMemo(() => {
    const counts = new Map<string, { value: string; count: number; first: Series['samples'][number] }>();
    for (const sample of series.samples) {
      const known = counts.get(sample.value) ?? { value: sample.value, count: 0, first: sample };
      known.count += 1;
      counts.set(sample.value, known);
    }
    return [...counts.values()].sort((one, other) => other.count - one.count);
  }, [series]);
  const [selected, setSelected] = useState(0);
  const open = (index: number) => {
    const request = rows[index]?.first.request;
    if (request) {
      onOpen(request);
    }
  };
  return (
    <section aria-label="values and how often they came">
      <h2>{countOf(rows.length, 'different value')}</h2>
      <Window
        role="grid"
        label="values"
        count={rows.length}
        rowHeight={26}
        height={300}
        selected={selected}
        onSelect={setSelected}
        onOpen={open}
        row={(index) => {
          const { value, count, first } = rows[index] ?? {};
          return (
            <div class="distinct" role="presentation">
              <span role="gridcell" class="count">
                {number(count ?? 0)}×
              </span>
              <span role="gridcell" class="code">
                {value}
              </span>
              <span role="gridcell" class="first">
                first at {seconds(first?.at ?? 0)}
                {first?.request ? (
                  <a href={`#/request/${first.request}`} tabIndex={-1}>
                    {' '}
                    in request {first.request}
                  </a>
                ) : null}
              </span>
            </div>
          );
        }}
      />
    </section>
  );
}
