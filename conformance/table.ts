import type { Behaviour } from './behaviours.js';
import type { Runtime } from './fixture.js';

/** How a runtime stands to a behaviour. `open`: it was tried, and is not so; or it was not tried. */
export type Outcome = { kind: 'passed' | 'open' } | { kind: 'impossible'; reason: string };

/** docs/conformance.md. */
export function conformanceTable(
  runtimes: readonly Runtime[],
  behaviours: readonly Behaviour[],
  outcomeOf: (runtime: string, behaviour: string) => Outcome | undefined,
): string {
  const notes: string[] = [];
  const cell = (runtime: string, name: string) => {
    const outcome = outcomeOf(runtime, name) ?? { kind: 'open' as const };
    if (outcome.kind !== 'impossible') {
      return outcome.kind;
    }
    notes.push(outcome.reason);
    return `not possible (${notes.length})`;
  };
  const rows = behaviours.map(({ group, name }) => {
    const cells = runtimes.map((runtime) => cell(runtime.name, name));
    return `| ${group} | ${name} | ${cells.join(' | ')} |`;
  });
  return [
    '# Conformance',
    '',
    'Written by the suite in `conformance/` (`npm run conformance`): what every runtime must do, tried over DAP on a small service in each language. `npm test` runs the suite and holds this page against it. A runtime has its service in `runtimes/NAME/test/service.ts` and a line in `conformance/runtimes.ts`.',
    '',
    `| | behaviour | ${runtimes.map(({ name }) => name).join(' | ')} |`,
    `| --- | --- | ${runtimes.map(() => '---').join(' | ')} |`,
    ...rows,
    '',
    ...notes.map((reason, index) => `${index + 1}. ${reason}`),
    '',
  ].join('\n');
}
