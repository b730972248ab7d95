import { useMemo, useState } from 'preact/hooks';
import { type Aligned, alignPaths } from '../../../core/contrast/align.js';
import type { SourceText } from '../../../core/contrast/code.js';
import { type Contrast, contrast, type Suspect } from '../../../core/contrast/contrast.js';
import { nameOf, type Observation, ofKind, type Step } from '../../../core/contrast/observation.js';
import { Observer } from '../../../core/contrast/observe.js';
import { type Difference, excerpts } from '../../../core/contrast/parting.js';
import type { Source } from '../../../core/contrast/rows.js';
import { bySides } from '../../../core/contrast/sides.js';
import { verdictOf } from '../../../core/contrast/verdict.js';
import { countOf } from './format.js';
import type { Trail } from './trail.js';
import { Window } from './window.js';

/** What the requests of a trail have done that are good or faulty. */
export interface Sided {
  observations: Observation[];
  text: SourceText;
  sources: readonly Source[];
}

/** Faulty requests of a trail set against its good ones. */
interface Contrasted extends Sided {
  result: Contrast;
  verdict: string;
}

/** What a trail tells of its two kinds of requests; undefined where it has not both of them, with lines that were followed. */
export function sidedIn(trail: Trail): Sided | undefined {
  const observer = new Observer();
  for (const record of trail.records) {
    observer.add(record);
  }
  const observations = observer.observations(bySides(observer.sides)).filter(({ steps }) => steps.length > 0);
  if (ofKind(observations, 'good').length === 0 || ofKind(observations, 'faulty').length === 0) {
    return undefined;
  }
  const text = (file: string, line: number) => observer.text(file, line);
  return { observations, text, sources: observer.recorded.sources };
}

function contrasted(sided: Sided): Contrasted {
  const result = contrast(sided.observations, sided);
  return { ...sided, result, verdict: verdictOf(result, sided.observations) };
}

/** The verdict, the lines under suspicion in their source, and a faulty path beside a good one. */
export function ContrastView({ sided, trail }: { sided: Sided; trail: Trail }) {
  const all = useMemo(() => contrasted(sided), [sided]);
  const { result, verdict, text } = all;
  const [picked, setPicked] = useState(0);
  const suspect = result.ranked[picked];
  return (
    <main>
      <section aria-label="verdict">
        <h2>
          {countOf(result.faulty, 'faulty request')} against {countOf(result.good, 'good one')}
          {result.weak ? <span class="note"> · weak</span> : null}
        </h2>
        <p class="verdict-text">{verdict}</p>
      </section>
      <div class="columns">
        <section aria-label="lines under suspicion">
          <h2>Lines under suspicion</h2>
          <Suspects ranked={result.ranked} text={text} picked={picked} onPick={setPicked} />
        </section>
        <section aria-label="source of a suspect">
          {suspect ? <SuspectSource trail={trail} suspect={suspect} ranked={result.ranked} /> : null}
        </section>
      </div>
      <Paths contrasted={all} suspect={suspect} />
    </main>
  );
}

interface SuspectsProps {
  ranked: Suspect[];
  text: SourceText;
  picked: number;
  onPick: (index: number) => void;
}

function Suspects({ ranked, text, picked, onPick }: SuspectsProps) {
  if (ranked.length === 0) {
    return <p class="none">Nothing tells the kinds apart.</p>;
  }
  return (
    <ol class="suspects">
      {ranked.map((suspect, index) => (
        <li key={`${suspect.file}:${suspect.line}`}>
          <button type="button" aria-pressed={index === picked} onClick={() => onPick(index)}>
            <span class="score" title={`${suspect.score}`}>
              <i style={{ width: `${suspect.score * 34}px` }} />
              {suspect.score.toFixed(2)}
            </span>
            <span class="place" title={suspect.file}>
              {nameOf(suspect)}
            </span>
            <span class="code">{text(suspect.file, suspect.line)?.trim() ?? ''}</span>
            <span class="why">{suspect.reason}</span>
          </button>
        </li>
      ))}
    </ol>
  );
}

/** The file of a suspect, with every line of it that is under suspicion. */
function SuspectSource({ trail, suspect, ranked }: { trail: Trail; suspect: Suspect; ranked: Suspect[] }) {
  const source = trail.records.find((record) => record.kind === 'source' && record.path === suspect.file);
  if (source?.kind !== 'source') {
    return <p class="none">The trail carries no source of this line.</p>;
  }
  const ranks = new Map(
    ranked.flatMap(({ file, line }, index) => (file === suspect.file ? [[line, index + 1] as const] : [])),
  );
  return (
    <>
      <h2 title={suspect.file}>{nameOf(suspect)}</h2>
      <Window
        key={suspect.file}
        role="list"
        label={`source of ${nameOf(suspect)}`}
        count={source.lines.length}
        rowHeight={22}
        height={340}
        reveal={suspect.line - source.first}
        row={(index) => {
          const line = source.first + index;
          const rank = ranks.get(line);
          return (
            <div class={`source${rank === undefined ? '' : ' hit'}${line === suspect.line ? ' at' : ''}`}>
              <span class="count">{rank === undefined ? '' : `#${rank}`}</span>
              <span class="number">{line}</span>
              <span class="code">{source.lines[index]}</span>
            </div>
          );
        }}
      />
    </>
  );
}

/** A faulty request beside the good one that is most like it, line by line. */
function Paths({ contrasted, suspect }: { contrasted: Contrasted; suspect: Suspect | undefined }) {
  const { observations, result, text } = contrasted;
  const faults = ofKind(observations, 'faulty');
  const goods = ofKind(observations, 'good');
  const [shown, setShown] = useState({
    faulty: result.parting?.between.faulty ?? faults[0]?.id ?? 0,
    good: result.parting?.between.good ?? goods[0]?.id ?? 0,
  });
  const faulty = faults.find(({ id }) => id === shown.faulty);
  const good = goods.find(({ id }) => id === shown.good);
  const rows = useMemo(() => (faulty && good ? alignPaths(faulty, good) : []), [faulty, good]);
  const first = rows.findIndex((row) => row.good === undefined || row.faulty === undefined);
  const at = rows.findIndex(
    ({ faulty: step }) => step !== undefined && step.file === suspect?.file && step.line === suspect.line,
  );
  return (
    <section aria-label="two paths">
      <h2>Their paths</h2>
      <form class="filters" onSubmit={(event) => event.preventDefault()}>
        <Choice
          label="Faulty"
          all={faults}
          value={shown.faulty}
          onPick={(id) => setShown({ ...shown, faulty: id })}
        />
        <Choice
          label="Good"
          all={goods}
          value={shown.good}
          onPick={(id) => setShown({ ...shown, good: id })}
        />
        <output>{first < 0 ? 'they run the same lines' : `they part after ${countOf(first, 'line')}`}</output>
      </form>
      <Window
        role="list"
        label="a faulty path beside a good one"
        count={rows.length}
        rowHeight={24}
        height={Math.max(260, innerHeight - 620)}
        reveal={Math.max(0, at >= 0 ? at : first - 3)}
        row={(index) => rows[index] && <PathRow row={rows[index]} text={text} isAt={index === at} />}
      />
    </section>
  );
}

interface ChoiceProps {
  label: string;
  all: Observation[];
  value: number;
  onPick: (id: number) => void;
}

function Choice({ label, all, value, onPick }: ChoiceProps) {
  return (
    <label>
      {label}
      <select value={value} onChange={(event) => onPick(Number(event.currentTarget.value))}>
        {all.map(({ id, name }) => (
          <option key={id} value={id}>
            {name} · request {id}
          </option>
        ))}
      </select>
    </label>
  );
}

function PathRow({ row, text, isAt }: { row: Aligned; text: SourceText; isAt: boolean }) {
  const { faulty, good, differs } = row;
  const kind =
    faulty === undefined ? 'good' : good === undefined ? 'faulty' : differs.length > 0 ? 'differs' : 'both';
  return (
    <div class={`pathrow ${kind}${isAt ? ' at' : ''}`}>
      <PathStep step={faulty} text={text} />
      <PathStep step={good} text={text} />
      <span class="values">
        {differs.map(valueText).join(', ') ||
          setText(faulty === undefined ? good : good === undefined ? faulty : undefined)}
      </span>
    </div>
  );
}

function PathStep({ step, text }: { step: Step | undefined; text: SourceText }) {
  const source = step && (text(step.file, step.line)?.trim() ?? '');
  return (
    <span class="step" title={step ? `${step.file}:${step.line}\n${source}` : ''}>
      {step ? <span class="place">{nameOf(step)}</span> : null}
      <span class="code">{source ?? ''}</span>
    </span>
  );
}

function valueText(difference: Difference): string {
  const { faulty, good } = excerpts(difference);
  return `${difference.name} = ${faulty} (good: ${good})`;
}

function setText(step: Step | undefined): string {
  return [...(step?.set ?? [])].map(([name, { text }]) => `${name} = ${text}`).join(', ');
}
