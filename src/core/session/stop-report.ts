import type { AmberRequest, Holds } from '../dap/extensions.js';
import type { StackFrame, Thread, Variable } from '../dap/messages.js';
import type { Mark } from '../marks/store.js';
import { functionStart, namesOn } from '../source/names.js';
import type { SourceTexts } from '../source/text.js';
import type { Changes } from '../watch/changes.js';
import type { Watches, WatchResult } from '../watch/watches.js';
import type { Session } from './session.js';
import type { Stop } from './stop.js';

/** Lines shown before and after the paused one. */
const BEFORE = 5;
const AFTER = 3;

export interface SourceLine {
  number: number;
  text: string;
  /** Local variables on this line, shown at its end; none on lines that have not run. */
  values: ShownValue[];
}

/** A variable as it is shown; `was` where it had another value at the stop before. */
export interface ShownValue {
  name: string;
  value: string;
  was?: string;
}

/** Everything that is told when a thread stops. */
export interface StopReport {
  reason: 'breakpoint' | 'step' | 'pause' | 'entry' | 'error' | 'request';
  marks: Mark[];
  /** The HTTP request that the thread serves, where the target knows it. */
  request: AmberRequest | undefined;
  /** What the thread holds besides itself. */
  holds: Holds | undefined;
  thread: Thread;
  frame: StackFrame | undefined;
  /** Empty where there is no source. */
  lines: SourceLine[];
  locals: ShownValue[];
  watches: WatchResult[];
  /** The type and text of the error, for a stop at one. */
  error: { type: string; text: string } | undefined;
}

/** What a report is made with; one for each session. */
export interface ReportTools {
  session: Session;
  sources: SourceTexts;
  watches: Watches;
  changes: Changes;
}

/** Asks what a stop card tells; `marks` are those that the stop is for. @throws AmberError when the thread moves on meanwhile */
export async function reportStop(stop: Stop, marks: Mark[], tools: ReportTools): Promise<StopReport> {
  const { session, sources, watches, changes } = tools;
  const [frame] = await stop.frames();
  const threads = await session.threads();
  const variables = frame ? await localsOf(stop, frame) : [];
  const changed = changes.compare(stop.threadId, frame, variables);
  const locals = variables.map(({ name, value }) => {
    const was = changed.get(name);
    return { name, value, ...(was === undefined ? {} : { was }) };
  });
  const info = await stop.exceptionInfo();
  return {
    reason: reasonOf(stop),
    marks,
    request: stop.request,
    holds: stop.holds,
    thread: threads.find(({ id }) => id === stop.threadId) ?? { id: stop.threadId, name: `${stop.threadId}` },
    frame,
    lines: frame ? sourceAround(await sources.lines(frame.source, session), frame.line, locals) : [],
    locals,
    watches: await watches.compute(stop, frame?.id, true),
    error: info ? { type: info.exceptionId, text: info.description ?? '' } : undefined,
  };
}

/** The variables of a frame's first scope, which is the innermost one. */
export async function localsOf(stop: Stop, frame: StackFrame): Promise<Variable[]> {
  const [scope] = await stop.scopes(frame.id);
  if (scope === undefined || scope.expensive) {
    return [];
  }
  return await stop.variables(scope.variablesReference, { start: 0, count: 100 });
}

/**
 * The lines around `line`. Values stand on the next line for every variable on it, and above it where a
 * variable is first named; lines further down have not run and have none. Blank lines at the end are left out.
 */
export function sourceAround(lines: string[] | undefined, line: number, locals: ShownValue[]): SourceLine[] {
  if (lines === undefined || line < 1 || line > lines.length) {
    return [];
  }
  const first = Math.max(1, line - BEFORE);
  const last = Math.min(lines.length, line + AFTER);
  const start = functionStart(lines, line, first);
  const byName = new Map(locals.map((variable) => [variable.name, variable]));
  const shown: SourceLine[] = [];
  const told = new Set<string>();
  for (let number = first; number <= last; number += 1) {
    const text = lines[number - 1] ?? '';
    const known = number >= start && number <= line ? namesOn(text).filter((name) => byName.has(name)) : [];
    const names = number === line ? known : known.filter((name) => !told.has(name));
    // What a value was is told where it stands first.
    const values = names.flatMap((name) => {
      const { value = '', was } = byName.get(name) ?? {};
      return [{ name, value, ...(was === undefined || told.has(name) ? {} : { was }) }];
    });
    for (const name of names) {
      told.add(name);
    }
    shown.push({ number, text, values });
  }
  while (shown.length > 1 && shown.at(-1)?.text.trim() === '' && shown.at(-1)?.number !== line) {
    shown.pop();
  }
  return shown;
}

function reasonOf(stop: Stop): StopReport['reason'] {
  switch (stop.event.reason) {
    case 'exception':
      return 'error';
    case 'step':
    case 'pause':
    case 'entry':
      return stop.event.reason;
    default:
      return 'breakpoint';
  }
}
