import 'uplot/dist/uPlot.min.css';
import './page.css';
import { render } from 'preact';
import { useEffect, useMemo, useState } from 'preact/hooks';
import { ContrastView, sidedIn } from './contrast.js';
import { countOf, number } from './format.js';
import { type Filter, NO_FILTER, Overview } from './overview.js';
import { RequestView } from './request.js';
import { type PageFacts, Trail, unpack } from './trail.js';
import { ValuesView } from './values.js';

/** Where in the page one is, as the address has it. */
function placeOf(
  hash: string,
): { view: 'requests' | 'values' | 'contrast' } | { view: 'request'; id: number } {
  const [, id] = /^#\/request\/(\d+)$/.exec(hash) ?? [];
  if (id !== undefined) {
    return { view: 'request', id: Number(id) };
  }
  return { view: hash === '#/values' ? 'values' : hash === '#/contrast' ? 'contrast' : 'requests' };
}

/** What the system or the reader wants: `light` or `dark`. */
function useTheme(): [string, () => void] {
  const isDark = matchMedia('(prefers-color-scheme: dark)');
  const [theme, setTheme] = useState(isDark.matches ? 'dark' : 'light');
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  useEffect(() => {
    const follow = () => setTheme(isDark.matches ? 'dark' : 'light');
    isDark.addEventListener('change', follow);
    return () => isDark.removeEventListener('change', follow);
  }, []);
  // Set before the first drawing too: charts read their colours from the style sheet.
  document.documentElement.dataset.theme = theme;
  return [theme, () => setTheme(theme === 'dark' ? 'light' : 'dark')];
}

function App({ trail }: { trail: Trail }) {
  const [place, setPlace] = useState(placeOf(location.hash));
  const [filter, setFilter] = useState<Filter>(NO_FILTER);
  const [theme, switchTheme] = useTheme();
  const sided = useMemo(() => sidedIn(trail), [trail]);
  useEffect(() => {
    const onHash = () => {
      setPlace(placeOf(location.hash));
      scrollTo(0, 0);
    };
    addEventListener('hashchange', onHash);
    return () => removeEventListener('hashchange', onHash);
  }, []);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const isTyping = event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement;
      if (event.key === 'Escape' && !isTyping) {
        location.hash = '#/';
      } else if (event.key === '/' && !isTyping) {
        event.preventDefault();
        document.getElementById('search')?.focus();
      }
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  const open = (id: number) => {
    location.hash = `#/request/${id}`;
  };
  return (
    <>
      <Head
        trail={trail}
        view={place.view}
        hasContrast={sided !== undefined}
        theme={theme}
        onTheme={switchTheme}
      />
      {place.view === 'request' ? (
        <RequestView
          key={place.id}
          trail={trail}
          id={place.id}
          onBack={() => {
            location.hash = '#/';
          }}
        />
      ) : place.view === 'contrast' && sided !== undefined ? (
        <ContrastView sided={sided} trail={trail} />
      ) : place.view === 'values' ? (
        <ValuesView trail={trail} onOpen={open} theme={theme} />
      ) : (
        <Overview trail={trail} filter={filter} onFilter={setFilter} onOpen={open} theme={theme} />
      )}
    </>
  );
}

function Head({
  trail,
  view,
  hasContrast,
  theme,
  onTheme,
}: {
  trail: Trail;
  view: string;
  /** Whether the trail has good and faulty requests that can be set against each other. */
  hasContrast: boolean;
  theme: string;
  onTheme: () => void;
}) {
  const { summary, facts } = trail;
  const { good, faulty } = summary.sent;
  const missing = [
    ...(summary.dropped > 0 ? [`${countOf(summary.dropped, 'hit')} left out`] : []),
    ...(summary.untold > 0 ? [`${countOf(summary.untold, 'request')} not told`] : []),
    ...(facts.leftHits > 0 ? [`${countOf(facts.leftHits, 'hit')} not in this page, but in the trail`] : []),
    ...(facts.leftRequests > 0
      ? [`${countOf(facts.leftRequests, 'request')} not in this page, but in the trail`]
      : []),
    ...(summary.end ? [] : ['the trail still grew, or was cut off']),
  ];
  const began = new Date(summary.startedAt ?? 0);
  return (
    <header class="page">
      <h1>
        <span class="lantern" aria-hidden="true" /> {facts.name}
      </h1>
      <p>
        <time dateTime={summary.startedAt ?? ''}>
          {began.toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'medium' })}
        </time>
        {' · '}
        {summary.end ? `${(summary.end.at / 1000).toFixed(1)} s · ` : ''}
        {countOf(summary.allRequests, 'request')} · {countOf(summary.hits, 'hit')}
        {good + faulty > 0 ? ` · ${number(good)} good, ${number(faulty)} faulty answers` : ''}
        {missing.length > 0 ? <strong class="missing"> · {missing.join(' · ')}</strong> : null}
      </p>
      <nav aria-label="views">
        <a href="#/" aria-current={view === 'requests' ? 'page' : undefined}>
          Requests
        </a>
        <a href="#/values" aria-current={view === 'values' ? 'page' : undefined}>
          Values
        </a>
        {hasContrast ? (
          <a href="#/contrast" aria-current={view === 'contrast' ? 'page' : undefined}>
            Contrast
          </a>
        ) : null}
        <button
          type="button"
          onClick={onTheme}
          aria-label={theme === 'dark' ? 'light colours' : 'dark colours'}
        >
          {theme === 'dark' ? '☀' : '☾'}
        </button>
      </nav>
    </header>
  );
}

async function start(): Promise<void> {
  const text = (id: string) => document.getElementById(id)?.textContent ?? '';
  const root = document.getElementById('page');
  if (root === null) {
    return;
  }
  const facts = JSON.parse(text('facts')) as PageFacts;
  const trail = new Trail(await unpack(text('trail').trim()), facts);
  root.textContent = '';
  render(<App trail={trail} />, root);
}

start().catch((error: Error) => {
  const root = document.getElementById('page');
  if (root !== null) {
    root.textContent = `This browser cannot show the trail: ${error.message}`;
  }
});
