import { runAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { phpHas } from '../support/php.js';
import { endPrograms, makeFolder } from '../support/program.js';
import { pythons, pythonWith } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';

useRunFolder();
afterEach(endPrograms);

const [python] = pythons().slice(-1);
/** A list of 12 records in each language, and a line after it. */
const programs: [string, string, string, string[] | undefined][] = [
  [
    'Python',
    'desk.py',
    "trips = [{'name': 'Holm', 'seats': n} for n in range(12)]\nprint(len(trips))\n",
    python && [python.path],
  ],
  [
    'Ruby',
    'desk.rb',
    "trips = (0...12).map { |n| { 'name' => 'Holm', seats: n } }\nputs trips.size\n",
    rubyHas() ? ['ruby'] : undefined,
  ],
  [
    'Node',
    'desk.js',
    "const trips = Array.from({ length: 12 }, (_, n) => ({ name: 'Holm', seats: n }));\nconsole.log(trips.length);\n",
    ['node'],
  ],
  [
    'PHP',
    'desk.php',
    "<?php $trips = array_map(fn($n) => ['name' => 'Holm', 'seats' => $n], range(0, 11));\necho count($trips);\n",
    phpHas('cli') ? ['php'] : undefined,
  ],
];

describe.each(programs)('a list of records in %s', (name, file, source, command) => {
  (command ? it : it.skip)('is a table, in pages, with the columns that are asked for', async () => {
    const folder = makeFolder({ [file]: source });
    const trips = name === 'PHP' ? '$trips' : 'trips';
    const commands = [
      `break ${file}:2`,
      'resume',
      'wait 60',
      `= ${trips}`,
      `open ${trips} --columns seats,name`,
      `open ${trips} --list`,
      'drop 1',
      'resume',
    ];
    const script = makeFolder({ commands: `${commands.join('\n')}\n` });
    const launch = ['launch', '--commands', `${script}/commands`, '--', ...(command ?? []), file];
    const { stdout } = await runAmber(launch, { cwd: folder });
    const [, evaluated = '', opened = '', listed = ''] = stdout.split(/^amber> (?:= |open )/m);
    expect(evaluated).toMatch(/^ +name +seats$/m);
    expect(evaluated).toMatch(/^ +\[?9\]? +["']Holm["'] +9$/m);
    expect(evaluated).toContain(`2 more: open ${trips}`);
    expect(opened).toMatch(/^ +seats +name$/m);
    expect(opened).toMatch(/^ +\[?11\]? +11 +["']Holm["']$/m);
    expect(listed).not.toMatch(/^ +name +seats$/m);
  });
});

const FRAME = `import numpy, pandas
def season():
    fares = pandas.DataFrame({'harbour': ['Holm', 'Innish'] * 500, 'token': ['pearl'] * 1000, 'fare': [n / 4 for n in range(1000)]})
    wide = pandas.DataFrame({f'leg{n}': range(3) for n in range(40)})
    prices = fares['fare']
    grid = numpy.arange(12).reshape(3, 4)
    return len(fares)
season()
`;
const withPandas = pythonWith('pandas');

(withPandas ? it : it.skip)(
  'data frames, series and arrays are tables, a page at a time, with their shape',
  async () => {
    const folder = makeFolder({ 'season.py': FRAME });
    const commands = [
      'break season.py:7',
      'resume',
      'wait 60',
      'open fares',
      'more',
      'open fares --columns fare',
      'open wide --columns leg39,leg0',
      'open prices',
      'open grid',
      'vars',
      'drop 1',
      'resume',
    ];
    const script = makeFolder({ commands: `${commands.join('\n')}\n` });
    const launch = ['launch', '--commands', `${script}/commands`, '--', withPandas ?? '', 'season.py'];
    const { stdout } = await runAmber(launch, { cwd: folder });
    const [, opened = '', more = '', one = '', wide = '', series = '', grid = '', vars = ''] =
      stdout.split(/^amber> (?:open |more|vars)/m);
    expect(opened).toMatch(/^ +harbour +token +fare$/m);
    expect(opened).toMatch(/^ +\[1\] +'Innish' +••• +0\.25$/m);
    expect(opened).toContain('fares = DataFrame (1,000 × 3)');
    expect(opened).toContain('950 more');
    expect(more).toMatch(/^ +\[50\] +'Holm' +••• +12\.5$/m);
    expect(one).toMatch(/^ +fare$/m);
    expect(one).not.toContain('Holm');
    expect(wide).toMatch(/^ +leg39 +leg0$/m);
    expect(series).toMatch(/\[1\] +0\.25/);
    expect(grid).toContain('grid = ndarray (3 × 4) of int64');
    expect(grid).toMatch(/^ +\[2\] +8 +9 +10 +11$/m);
    expect(vars).toContain('<DataFrame: 1,000 rows, 3 columns: harbour, token, fare>');
    expect(vars).toContain('<Series fare: 1,000 values of float64>');
  },
);
