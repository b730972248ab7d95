import { join } from 'node:path';
import type { Description } from '../../../src/targets/description.js';
import { attachTo, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, pythonWith } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const python = pythonWith('jinja2');
const MAIN = `import sys
from jinja2 import Environment, FileSystemLoader
pages = Environment(loader=FileSystemLoader('.'), autoescape=True)
if len(sys.argv) > 2:
    pages.get_template('page.html')
print('ready', flush=True)
for line in sys.stdin:
    trips = [{'name': name, 'seats': seats} for seats, name in enumerate(line.split(), 1)]
    print(''.join(pages.get_template('page.html').render(title='Trips', trips=trips, who='Aino').split()), flush=True)
`;
const PAGE = `<h1>{{ title }}</h1>
{% macro fare(n) %}
  <b>{{ n * 10 }}</b>
{% endmacro %}
<ul>
{% for trip in trips %}
  {% set cost = trip.seats * 2 %}
  <li>{{ trip.name }} {{ cost }} {{ fare(trip.seats) }}</li>
{% endfor %}
</ul>
{% block end %}
  bye {{ who }}
{% endblock %}
`;
const ANSWER = '<h1>Trips</h1><ul><li>Holm2<b>10</b></li><li>Skerrow4<b>20</b></li></ul>byeAino';

describe('marks in templates of Jinja', () => {
  const starts = python ? it : it.skip;

  starts.each([true, false])('stand on the lines of the template (loaded before: %s)', async (isLoaded) => {
    const args = isLoaded ? ['-X', 'utf8'] : [];
    const program = new Program(
      python as string,
      isLoaded ? MAIN.replace('len(sys.argv) > 2', 'True') : MAIN,
      { 'page.html': PAGE },
      { args },
    );
    await program.line('ready');
    const attached = await attachTo(program.description(runFolder()) as Description);
    const collector = new HitCollector(attached);
    const page = join(program.folder, 'page.html');
    await collector.set('log', 'page.html:8 "{trip[\'name\']} {cost} {title}" when cost > 2', page);
    await collector.set('log', 'page.html:3 "{n}"', page);
    await collector.set('log', 'page.html:10 "{who}"', page);
    const [, , moved] = attached.store.all;
    if (isLoaded) {
      const states = attached.store.all.map((mark) => attached.sync.status(mark));
      expect(states.map(({ state, route }) => [state, route])).toEqual(Array(3).fill(['on', 'engine']));
      expect(moved && attached.sync.status(moved)).toMatchObject({
        line: 11,
        note: expect.stringMatching(
          /^line 10 has no code; the next is line 11; of the code that Jinja has made/,
        ),
      });
    } else {
      expect(moved && attached.sync.status(moved)).toMatchObject({
        state: 'waiting',
        note: 'the file is not loaded yet',
      });
    }
    // A thread that runs already is traced from its next event on (before 3.12).
    expect(await program.ask('Holm Skerrow')).toBe(ANSWER);
    const texts = (await collector.until(4)).map(({ text, error }) => text ?? error);
    expect(texts.sort()).toEqual(['1', '2', 'Aino', 'Skerrow 4 Trips']);
    await attached.session.detach();
    expect(await program.ask('Holm Skerrow')).toBe(ANSWER);
  });

  starts('stop there, with its variables, and go on by its lines', async () => {
    const program = new Program(python as string, MAIN.replace('len(sys.argv) > 2', 'True'), {
      'page.html': PAGE,
    });
    await program.line('ready');
    const attached = await attachTo(program.description(runFolder()) as Description);
    const page = join(program.folder, 'page.html');
    await attached.mark(page, 7, "trip['name'] == 'Holm'");
    program.say('Holm');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    expect([frame?.source?.path, frame?.line]).toEqual([page, 7]);
    const scopes = await stop.scopes(frame?.id ?? 0);
    expect(scopes[0]?.name).toBe('Template');
    const variables = await stop.variables(scopes[0]?.variablesReference ?? 0);
    expect(variables.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['title', 'trips', 'trip', 'who']),
    );
    expect((await stop.evaluate("title + trip['name']", frame?.id, 'watch')).text).toBe("'TripsHolm'");
    const lines: number[] = [];
    let at = stop;
    for (let step = 0; step < 3; step += 1) {
      ({ stop: at } = await attached.step(at, 'over'));
      lines.push((await at.frames())[0]?.line ?? 0);
    }
    expect(lines).toEqual([8, 6, 11]);
    await at.resume();
    expect(await program.line('<h1>')).toBe('<h1>Trips</h1><ul><li>Holm2<b>10</b></li></ul>byeAino');
    await attached.session.detach();
  });
});
