import type { Observation, Step, Value } from '../../../src/core/contrast/observation.js';

export const FILE = '/office/quotes.py';

/** Lines of one call: the number of each and what it sets, as `leg=-4`. */
export function path(...lines: [number, string?][]): Step[] {
  const before = new Map<string, Value>();
  return lines.map(([line, text = ''], index) => {
    const set = new Map(
      text
        .split(' ')
        .filter(Boolean)
        .map((each) => {
          const [name = '', value = ''] = each.split('=');
          return [
            name,
            { text: value, type: /^-?\d/.test(value) ? 'int' : value.startsWith('{') ? 'dict' : 'str' },
          ] as const;
        }),
    );
    const step: Step = {
      target: 'python:1',
      file: FILE,
      line,
      function: 'quote',
      call: '1',
      before: new Map(before),
      set,
      opens: index === 0,
      isInterrupted: false,
    };
    for (const [name, value] of set) {
      before.set(name, value);
    }
    return step;
  });
}

let id = 0;
export const request = (
  kind: 'good' | 'faulty',
  name: string,
  steps: Step[],
  status: number | null = 200,
): Observation => {
  id += 1;
  return { id, name, kind, steps, status };
};
export const good = (name: string, ...lines: [number, string?][]) => request('good', name, path(...lines));
export const faulty = (name: string, ...lines: [number, string?][]) =>
  request('faulty', name, path(...lines));
