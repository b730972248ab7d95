import { useMemo, useState } from 'preact/hooks';
import { appendTo } from '../../../core/collections.js';
import type { RecordOf } from '../../../core/trail/records.js';
import type { StoryEvent, StoryRequest, TrailStory } from '../../../core/trail/story.js';
import { baseName, countOf, duration, number } from './format.js';
import type { Trail } from './trail.js';
import { Window } from './window.js';

interface RequestProps {
  trail: Trail;
  id: number;
  onBack: () => void;
}

/** One request with those that it made: when each was under way, what happened in order, and the lines it ran. */
export function RequestView({ trail, id, onBack }: RequestProps) {
  const story = useMemo(() => trail.story(id), [trail, id]);
  const [picked, setPicked] = useState(-1);
  if (story === undefined) {
    return (
      <main>
        <p>
          The trail has no request {id}. <a href="#/">All requests</a>
        </p>
      </main>
    );
  }
  const requests = story.inOrder;
  const event = story.events[picked];
  return (
    <main>
      <p class="back">
        <button type="button" onClick={onBack}>
          ← all requests
        </button>
        <kbd>Esc</kbd>
      </p>
      <Title story={story} id={id} />
      <Waterfall requests={requests} events={story.events} id={id} />
      <div class="columns">
        <section aria-label="what happened">
          <h2>What happened</h2>
          <Story story={story} id={id} picked={picked} onPick={setPicked} />
          {story.left > 0 ? <p class="note">{number(story.left)} more are left out here.</p> : null}
        </section>
        <section aria-label="source">
          <Source trail={trail} story={story} id={id} event={event} />
        </section>
      </div>
    </main>
  );
}

function Title({ story, id }: { story: TrailStory; id: number }) {
  const request = story.requests.get(id);
  const { verdict, faults = [], name, error } = story.sent ?? {};
  if (request === undefined) {
    return null;
  }
  return (
    <header class="title">
      <h2>
        {request.method} {request.path}{' '}
        <span class="status">{request.status ?? (request.isOver ? '' : 'not ended')}</span>
      </h2>
      <p>
        {request.name} · request {id} · {duration(request.ms)}
        {request.traceparent ? <code>{request.traceparent}</code> : null}
      </p>
      {story.sent ? (
        <p>
          sent by amber{name ? ` as ${name}` : ''}
          {verdict ? (
            <span class={`verdict ${verdict}`}> {verdict === 'faulty' ? '◆ faulty' : '● good'}</span>
          ) : null}
          {error ? ` no answer: ${error}` : ''}
          {faults.length > 0 ? `: ${faults.join('; ')}` : ''}
        </p>
      ) : null}
    </header>
  );
}

function Waterfall({ requests, events, id }: { requests: StoryRequest[]; events: StoryEvent[]; id: number }) {
  const from = Math.min(...requests.map((request) => request.from));
  const to = Math.max(...requests.map((request) => request.to), from + 0.001);
  const share = (at: number) => ((at - from) / (to - from)) * 100;
  const ticks = [0, 0.25, 0.5, 0.75, 1];
  const byRequest = new Map<number, StoryEvent[]>();
  for (const event of events) {
    appendTo(byRequest, event.request, event);
  }
  return (
    <section aria-label="services">
      <h2>Over {countOf(new Set(requests.map(({ target }) => target)).size, 'service')}</h2>
      <div class="scale" aria-hidden="true">
        {ticks.map((tick) => (
          <span key={tick} style={{ left: `${tick * 100}%` }}>
            {duration((to - from) * tick)}
          </span>
        ))}
      </div>
      <ol class="waterfall">
        {requests.map((request) => {
          const { method, path, name, status, depth, parent } = request;
          const own = byRequest.get(request.id) ?? [];
          const guess = parent && !parent.isKnown ? ', placed by its times' : '';
          return (
            <li key={request.id} class={request.id === id ? 'current' : ''}>
              <a
                href={`#/request/${request.id}`}
                class="what"
                style={{ paddingLeft: `${0.85 + depth * 1.2}em` }}
              >
                {depth > 0 ? '└ ' : ''}
                <b>{method}</b> {path}
                <small>
                  {name} · {status ?? '—'} · {duration(request.ms)} · {countOf(own.length, 'event')}
                  {guess}
                </small>
              </a>
              <span class="lane" aria-hidden="true">
                <span
                  class={`bar${status !== null && status >= 500 ? ' failed' : ''}`}
                  style={{
                    left: `${share(request.from)}%`,
                    width: `${Math.max(0.3, share(request.to) - share(request.from))}%`,
                  }}
                />
                {own.slice(0, 400).map((event, index) => (
                  <i key={index} class={event.kind} style={{ left: `${share(event.at)}%` }} />
                ))}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}

function valuesText(event: StoryEvent): string {
  return event.values.map(({ expression, value }) => `${expression} = ${value}`).join(', ');
}

interface StoryProps {
  story: TrailStory;
  /** The request that is looked at. */
  id: number;
  picked: number;
  onPick: (index: number) => void;
}

function Story({ story, id, picked, onPick }: StoryProps) {
  const { events } = story;
  if (events.length === 0) {
    return <p class="none">Nothing was recorded in it.</p>;
  }
  return (
    <Window
      role="grid"
      label="events"
      count={events.length}
      rowHeight={26}
      height={Math.max(300, innerHeight - 420)}
      selected={picked}
      onSelect={onPick}
      reveal={Math.max(
        0,
        events.findIndex((event) => event.request === id),
      )}
      row={(index) => {
        const event = events[index];
        const before = events[index - 1];
        if (event === undefined) {
          return null;
        }
        const request = story.requests.get(event.request);
        const isNew = story.requests.size > 1 && before?.request !== event.request;
        const place =
          event.path === undefined
            ? (story.markText(event.mark) ?? event.kind)
            : `${baseName(event.path)}:${event.line}`;
        const source =
          event.kind === 'line' ? (story.sourceAt(event.path, event.line)?.trim() ?? '') : event.text;
        const changed = event.kind === 'line' ? valuesText(event) : '';
        return (
          <div class={`event ${event.kind}`} role="presentation">
            <span role="gridcell" class="after">
              {before ? `+${duration(event.at - before.at)}` : ''}
            </span>
            <span role="gridcell" class="place" style={{ paddingLeft: `${(request?.depth ?? 0) * 0.8}em` }}>
              {place}
            </span>
            <span
              role="gridcell"
              class="told"
              title={[event.text, source, changed].filter(Boolean).join('\n')}
            >
              {isNew && request ? (
                <span class="of">{`${request.method} ${request.path.split('?')[0]}`}</span>
              ) : null}
              {event.kind === 'line' && event.text ? <span class="call">{event.text} </span> : null}
              <span class={event.kind === 'line' ? 'code' : ''}>{source}</span>
              {changed ? <span class="changed"> → {changed}</span> : null}
            </span>
          </div>
        );
      }}
    />
  );
}

interface SourceProps {
  trail: Trail;
  story: TrailStory;
  id: number;
  event: StoryEvent | undefined;
}

/** Lines that the request has run, with how often and with which values. */
function Source({ trail, story, id, event }: SourceProps) {
  const sources = useMemo(
    () =>
      new Map(
        trail.records
          .filter((record): record is RecordOf<'source'> => record.kind === 'source')
          .map((record) => [record.path, record]),
      ),
    [trail],
  );
  const ownPath = story.events.find((one) => one.request === id && one.path && sources.has(one.path))?.path;
  const paths = [...new Set(story.events.flatMap(({ path }) => (path && sources.has(path) ? [path] : [])))];
  const [chosen, setChosen] = useState<string>();
  const path =
    event?.path && sources.has(event.path)
      ? event.path
      : chosen && paths.includes(chosen)
        ? chosen
        : (ownPath ?? paths[0]);
  const source = path === undefined ? undefined : sources.get(path);
  if (source === undefined || path === undefined) {
    return <p class="none">The trail carries no source of these marks.</p>;
  }
  const here = story.events.filter((one) => one.path === path);
  const line = event?.path === path ? event.line : here[0]?.line;
  return (
    <>
      <h2 class="files">
        {paths.map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={one === path}
            title={one}
            onClick={() => setChosen(one)}
          >
            {baseName(one)}
          </button>
        ))}
      </h2>
      <Window
        role="list"
        label={`source of ${baseName(path)}`}
        count={source.lines.length}
        rowHeight={22}
        height={Math.max(300, innerHeight - 420)}
        reveal={(line ?? source.first) - source.first}
        row={(index) => {
          const at = source.first + index;
          const hits = here.filter((one) => one.line === at);
          const last = [...hits].reverse().find((one) => one === event) ?? hits.at(-1);
          const shown = event !== undefined && hits.includes(event) ? event : last;
          const values = shown === undefined ? '' : shown.kind === 'line' ? valuesText(shown) : shown.text;
          return (
            <div
              class={`source${hits.length > 0 ? ' hit' : ''}${event?.path === path && at === event?.line ? ' at' : ''}`}
            >
              <span class="count">{hits.length > 0 ? `${hits.length}×` : ''}</span>
              <span class="number">{at}</span>
              <span class="code">{source.lines[index]}</span>
              {values ? <span class="values">{values}</span> : null}
            </div>
          );
        }}
      />
    </>
  );
}
