import type { Capabilities } from '../dap/messages.js';
import type { Place } from './place.js';
import type { Mark } from './store.js';

const REFUSED_FILTERS = {
  raised: 'this target does not stop for errors that are raised',
  uncaught: 'this target does not stop for errors that are uncaught',
  warning: 'this target knows no warnings',
};

/** The exception filter of our servers that a place stands for. */
function filterOf(place: Extract<Place, { kind: 'error' | 'warning' }>): keyof typeof REFUSED_FILTERS {
  if (place.kind === 'warning') {
    return 'warning';
  }
  return place.uncaught ? 'uncaught' : 'raised';
}

/** DAP's arguments of `setExceptionBreakpoints` for marks at errors and warnings; `refused`: which the target cannot have, and why. */
export function errorArguments(
  marks: readonly Mark[],
  capabilities: Capabilities,
): { possible: Mark[]; refused: [Mark, string][]; args: object } {
  const known = capabilities.exceptionBreakpointFilters ?? [];
  const possible: Mark[] = [];
  const refused: [Mark, string][] = [];
  const filterOptions: { filterId: string; condition?: string }[] = [];
  for (const mark of marks) {
    const { place } = mark.spec;
    if (place.kind !== 'error' && place.kind !== 'warning') {
      continue;
    }
    const filterId = filterOf(place);
    if (!known.some(({ filter }) => filter === filterId)) {
      refused.push([mark, REFUSED_FILTERS[filterId]]);
      continue;
    }
    possible.push(mark);
    filterOptions.push({
      filterId,
      ...(place.types.length > 0 ? { condition: place.types.join(',') } : {}),
    });
  }
  const args = capabilities.supportsExceptionFilterOptions
    ? { filters: [], filterOptions }
    : { filters: filterOptions.map(({ filterId }) => filterId) };
  return { possible, refused, args };
}
