import type { LoadedScript } from './loaded-script.js';
import type { Carried, Mark } from './marks.js';
import type { Placed } from './placement.js';
import { codeOf, HELPER, type SplicedMark } from './splice/code.js';
import { namesAt } from './splice/names.js';
import type { Position } from './splice/rewrite.js';
import { withServedRequest } from './splice/served-request.js';
import type { Site } from './splice/site.js';

/** One place in a script, with the marks on it. */
export interface Spot {
  site: Site | undefined;
  position: Position;
  marks: Mark[];
  code: string;
  spliced: SplicedMark[];
}

/** How each mark is carried out, or why it is not. */
export type Told = Map<Mark, Carried | string>;

/** What is spliced into one script: code by the offset of its site. */
export type Codes = Map<number, { site: Site; code: string; marks: Mark[] }>;

/** Notes that marks are carried out at a place. */
export function carry(
  told: Told,
  placed: Placed[],
  spot: Spot,
  route: 'spliced' | 'engine',
  note: string,
): void {
  for (const mark of spot.marks) {
    const place = placed.find((candidate) => candidate.mark === mark);
    const before = told.get(mark);
    // What runs once is not told of where functions on its line run after it.
    const runsOnce =
      spot.site?.within === undefined &&
      placed.some((candidate) => candidate.mark === mark && candidate.site?.within !== undefined);
    if (runsOnce) {
      continue;
    }
    // Of several places the first one is told, unless another one costs more.
    if (place !== undefined && (typeof before !== 'object' || route === 'engine')) {
      const extent = place.extent ? { extent: place.extent } : {};
      told.set(mark, { path: place.path, line: place.line, route, note, ...extent });
    }
  }
}

/**
 * The places of a script that have marks, each with the code that would stand there.
 * @param unknown offsets of sites where the engine has no breakpoint to give, so that a plain one is spliced, too
 */
export async function spotsOf(
  script: LoadedScript,
  placed: readonly Placed[],
  unknown: ReadonlySet<number> = new Set(),
): Promise<Spot[]> {
  const spots = new Map<string, Spot>();
  for (const { mark, site, position } of placed) {
    const key = site ? `site ${site.start}` : `${position.line}:${position.column}`;
    const spot = spots.get(key) ?? { site, position, marks: [], code: '', spliced: [] };
    spot.marks.push(mark);
    spots.set(key, spot);
  }
  for (const spot of spots.values()) {
    spot.spliced = await Promise.all(spot.marks.map((mark) => toSpliced(mark, script, spot)));
    const isAsked = unknown.has(spot.site?.start ?? -1) || spot.marks.some((mark) => !mark.isPlain);
    const canSplice = spot.site?.within !== undefined && isAsked;
    spot.code = canSplice ? codeOf(spot.spliced, spot.site?.kind === 'result') : '';
  }
  return [...spots.values()];
}

async function toSpliced(mark: Mark, script: LoadedScript, { site, position }: Spot): Promise<SplicedMark> {
  const { code: id, wanted, rule } = mark;
  const { kind } = wanted;
  const hasNames = wanted.condition !== '' || mark.values.length > 0 || kind === 'follow';
  const names = hasNames ? await script.names() : undefined;
  const offset = site?.start ?? (await script.offsetOf(script.toRunning(position)));
  const compiled = (expression: string, isShown: boolean) =>
    withServedRequest(names?.compiled(expression, offset) ?? expression, isShown);
  const requests = mark.isAtRequests ? 'first' : mark.requests === null ? 'all' : 'some';
  const spliced = {
    id,
    kind,
    condition: wanted.condition && compiled(wanted.condition, false),
    values: mark.values.map((value) => compiled(value, true)),
    hasRule: rule !== undefined,
    requests,
  } as const;
  const structure = kind === 'follow' ? await script.structure() : undefined;
  if (site === undefined || structure === undefined) {
    return spliced;
  }
  const name = structure.functions.find(({ start }) => start === site.within)?.name ?? '';
  const variables = namesAt(structure.names, site).flatMap((code) => {
    const name = names === undefined ? code : names.written(code, offset);
    return name === undefined ? [] : [{ name, code }];
  });
  const members = structure.members.get(site.within ?? -1) ?? [];
  if (members.length > 0) {
    variables.push({ name: 'this', code: `${HELPER}.own(this,${JSON.stringify(members)})` });
  }
  const opens = structure.openings.has(site.start);
  return {
    ...spliced,
    followed: { name: names?.writtenPath(name, site.within ?? 0) ?? name, variables, opens },
  };
}

/** What is in, with the sites at `starts` as they are wanted. */
export function withThose(before: Codes, wanted: Codes, starts: readonly number[]): Codes {
  const next: Codes = new Map(before);
  for (const start of starts) {
    const code = wanted.get(start);
    if (code === undefined) {
      next.delete(start);
    } else {
      next.set(start, code);
    }
  }
  return next;
}

/** Whether the same code stands at the same places. */
export function isSame(one: Codes, other: Codes): boolean {
  return one.size === other.size && [...one].every(([at, { code }]) => other.get(at)?.code === code);
}
