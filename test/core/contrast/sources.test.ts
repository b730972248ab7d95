import { contrast } from '../../../src/core/contrast/contrast.js';
import { FILE, faulty, good, path, request } from './observations.js';

/** The suspects of requests against a file of its own language, and others beside it. */
function suspects(all: Parameters<typeof contrast>[0], files: Record<string, string>) {
  const sources = Object.entries(files).map(([file, source]) => ({
    ...{ path: file, first: 1 },
    lines: source.split('\n'),
  }));
  const text = (file: string, line: number) => sources.find((each) => each.path === file)?.lines[line - 1];
  const named = all.map((each) => ({
    ...each,
    steps: each.steps.map((step) => (step.file === FILE ? { ...step, file: sources[0]?.path ?? '' } : step)),
  }));
  return contrast(named, { text, sources }).ranked.map(({ file, line, reason, score }) => ({
    ...{ file: file.split('/').at(-1), line, reason, score },
  }));
}

describe('what is known of the source', () => {
  it('a clause that has caught an error is named beside its first line', () => {
    const source =
      'def weight(text):\n    try:\n        w = float(text)\n    except ValueError:\n        return 1\n    return w';
    const all = [
      good('one', [1, 'text=2'], [3, 'w=2.0'], [6]),
      good('two', [1, 'text=3'], [3, 'w=3.0'], [6]),
      faulty('three', [1, 'text=8kg'], [3], [5]),
    ];
    const found = suspects(all, { '/office/reading.py': source });
    expect(found[0]).toMatchObject({
      line: 4,
      reason: expect.stringContaining('it has caught an error in 1 of 1'),
    });
    expect(found[0]?.reason).toContain('it catches errors');
  });

  it('a condition by what was only begun', () => {
    const files = {
      '/office/app.js':
        'function place(sailing) {\n  if (hasRoom(sailing)) {\n    return 1;\n  }\n  return 2;\n}',
      '/office/sailings.js':
        'async function hasRoom(sailing) {\n  const left = sailing.seats;\n  return left > 0;\n}',
    };
    const all = [
      good('one', [1, 'sailing=3'], [2], [3]),
      good('two', [1, 'sailing=4'], [2], [3]),
      faulty('full', [1, 'sailing=0'], [2], [3]),
    ];
    expect(suspects(all, files)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('it does not wait for what it begins'),
    });
    const waited = {
      ...files,
      '/office/app.js': files['/office/app.js'].replace('hasRoom', 'await hasRoom'),
    };
    expect(suspects(all, waited)[0]?.reason).not.toContain('does not wait');
  });

  it('what was only begun, where something is decided by it further down', () => {
    const app =
      'exports.handle = async (dock) => {\n  const isFree = slots.isFree(dock);\n  if (!isFree) {\n    return 1;\n  }\n  return 2;\n};';
    const slots = 'exports.isFree = async (dock) => {\n  return dock > 3;\n};';
    const all = [
      good('one', [1, 'dock=4'], [2, 'isFree=Promise'], [3], [6]),
      good('two', [1, 'dock=5'], [2, 'isFree=Promise'], [3], [6]),
      faulty('taken', [1, 'dock=1'], [2, 'isFree=Promise'], [3], [6]),
    ];
    const said = (text: string) =>
      suspects(all, { '/office/app.js': text, '/office/slots.js': slots }).find(({ line }) => line === 2)
        ?.reason ?? '';
    expect(said(app)).toContain('isFree is taken for an answer, and was only begun');
    expect(said(app.replace('= slots', '= await slots'))).not.toContain('only begun');
    expect(said(app.replace('!isFree', '!(await isFree)'))).not.toContain('taken for an answer');
  });

  it('a pattern that remembers where it has found something last', () => {
    const routes =
      'const ROUTE = /#route(\\d+)/g;\nexports.has = (text) => ROUTE.test(text);\nexports.first = (text) => {\n  return text.length;\n};';
    const all = [
      good('one', [3, 'text=fog'], [4]),
      good('two', [3, 'text=storm'], [4]),
      faulty('again', [3, 'text=#route4'], [4]),
    ];
    const first = (source: string) => suspects(all, { '/office/routes.js': source })[0] ?? { reason: '' };
    expect(first(routes)).toMatchObject({ line: 1, reason: expect.stringContaining('ROUTE remembers') });
    expect(first(routes.replace('/g;', '/;')).reason).not.toContain('remembers');
    expect(first(routes.replace('return', 'ROUTE.lastIndex = 0; return')).reason).not.toContain('remembers');
  });

  it('a reference that is written to after its loop', () => {
    const orders =
      '<?php\nfunction priced($orders) {\n    foreach ($orders as &$order) {\n        $order = 2;\n    }\n    foreach ($orders as $order) {\n        $x = 1;\n    }\n}';
    const all = [
      good('one', [3, '$orders=[1]'], [4, '$order=2'], [6], [7]),
      good('two', [3, '$orders=[3]'], [4, '$order=2'], [6], [7]),
      faulty('more', [3, '$orders=[1,2]'], [4, '$order=2'], [4], [6], [7]),
    ];
    const first = (source: string) => suspects(all, { '/office/orders.php': source })[0];
    expect(first(orders)).toMatchObject({ line: 3, reason: expect.stringContaining('stays a reference') });
    const unset = orders.replace(
      '    foreach ($orders as $order)',
      '    unset($order);\n    foreach ($orders as $order)',
    );
    expect(first(unset)?.reason).not.toContain('stays a reference');
    expect(first(orders.replace('as $order)', 'as $other)'))?.reason).not.toContain('stays a reference');
  });

  it('numbers that are sorted as texts, where that is another order', () => {
    const source = 'function strongest(readings) {\n  const last = readings.sort().pop();\n  return last;\n}';
    const all = [
      good('calm', [1, 'readings=[3,4,5]'], [2, 'last=5'], [3]),
      good('breeze', [1, 'readings=[12,14]'], [2, 'last=14'], [3]),
      faulty('storm', [1, 'readings=[9,10,11]'], [2, 'last=9'], [3]),
    ];
    expect(suspects(all, { '/office/wind.js': source })[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('as texts 10, 11, 9 is the order'),
    });
    const same = all.map((each) =>
      each.kind === 'good' ? each : faulty('gale', [1, 'readings=[19,20,21]'], [2, 'last=21'], [3]),
    );
    const said = suspects(same, { '/office/wind.js': source }).map(({ reason }) => reason);
    expect(said.join('; ')).not.toContain('is the order');
  });

  it('a question that nobody asks of what tells the kinds apart', () => {
    const source =
      "function isFree(number) {\n  const cabin = CABINS[number];\n  return cabin['guest'] === null;\n}";
    const cabin = (closed: boolean) => `cabin={guest:null,closed:${closed}}`;
    const all = [
      good('one', [1, 'number=101'], [2, cabin(false)], [3]),
      good('two', [1, 'number=204'], [2, cabin(false)], [3]),
      faulty('three', [1, 'number=102'], [2, cabin(true)], [3]),
    ];
    const saidOf = (text: string) =>
      suspects(all, { '/office/cabins.js': text }).find(({ line }) => line === 3)?.reason ?? '';
    expect(saidOf(source)).toContain('it asks nothing about cabin.closed, which is true in faulty requests');
    expect(saidOf(source.replace('=== null', '=== null && !cabin.closed'))).not.toContain('asks nothing');
  });

  it('a list that all objects of a class of Python share', () => {
    const job =
      'class Job:\n    steps = []\n\n    def add(self, work):\n        self.steps.append(work)\n\n    def names(self):\n        return self.steps';
    const all = [
      good('one', [5, 'work=seam'], [8]),
      good('two', [5, 'work=patch'], [8]),
      faulty('plain', [8]),
    ];
    const first = (source: string) => suspects(all, { '/office/job.py': source })[0];
    expect(first(job)).toMatchObject({
      line: 2,
      reason: expect.stringContaining('all objects of the class share steps'),
    });
    const own = job.replace('def add', 'def __init__(self):\n        self.steps = []\n\n    def add');
    expect(first(own)?.reason ?? '').not.toContain('share');
    expect(first(job.replace('.append(work)', ''))?.reason ?? '').not.toContain('share');
  });

  it('what is kept of the first thing that comes', () => {
    const dues = 'def rate(boat)\n  @rate ||= rates(boat)\nend';
    const passes = (...boats: string[]) => boats.flatMap((boat) => path([1, `boat=${boat}`], [2], [3]));
    const all = [
      request('good', 'one', passes('Auk')),
      request('good', 'two', passes('Tern')),
      request('faulty', 'both', passes('Auk', 'Tern')),
    ];
    const said = (source: string) =>
      suspects(all, { '/office/dues.rb': source }).find(({ line }) => line === 2)?.reason ?? '';
    expect(said(dues)).toContain('it keeps what it has made of the first boat, and gives it for all others');
    expect(said(dues.replace('||=', '='))).not.toContain('for all others');
    expect(said(dues.replace('(boat)\nend', '\nend'))).not.toContain('for all others');
  });

  it('a number made of a text that begins with zeros', () => {
    const source = 'function printed(ticket) {\n  const number = parseInt(ticket, 10);\n  return number;\n}';
    const all = [
      good('one', [1, 'ticket="10"'], [2, 'number=10'], [3]),
      good('two', [1, 'ticket="77"'], [2, 'number=77'], [3]),
      faulty('zeros', [1, 'ticket="0042"'], [2, 'number=42'], [3]),
    ];
    expect(suspects(all, { '/office/tickets.js': source })[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('ticket, which begins with a zero'),
    });
  });

  it('a key that is another one but for a letter, at the line that looks it up and where it is written', () => {
    const stock =
      "class Stock\n  ITEMS = {\n    'large' => 45,\n    'smal' => 18\n  }.freeze\n  def item(size)\n    ITEMS.fetch(size, 30)\n  end\nend";
    const all = [
      good('one', [6, 'size=large'], [7]),
      good('two', [6, 'size=large'], [7]),
      faulty('small', [6, 'size=small'], [7]),
    ];
    const named = (source: string) =>
      suspects(all, { '/office/stock.rb': source })
        .filter(({ reason }) => reason.includes('what there is is called smal'))
        .map(({ line }) => line);
    expect(named(stock).toSorted()).toEqual([4, 7]);
    expect(named(stock.replace("'smal'", "'small'"))).toEqual([]);
    expect(named(stock.replace("'smal'", "'tiny'"))).toEqual([]);
  });

  it('an object is no key of what is kept', () => {
    const source = 'def give(cabin):\n    keys = Keys(cabin)\n    return keys.number()';
    const all = [
      good('one', [1, 'cabin=101'], [2, 'keys=<Keys'], [3]),
      good('two', [1, 'cabin=204'], [2, 'keys=<Ring'], [3]),
      faulty('three', [1, 'cabin=205'], [2, 'keys=<Ring'], [3]),
    ];
    const said = suspects(all, { '/office/keys.py': source }).map(({ reason }) => reason);
    expect(said.join('; ')).not.toContain('earlier request');
  });

  it('arguments in another order than the parameters that are named so', () => {
    const files = {
      '/office/app.py': 'def plan(start, to):\n    minutes = between(to, start)\n    return minutes',
      '/office/roads.py': 'def between(start, to):\n    return ROADS[(start, to)]',
    };
    const all = [
      good('down', [1, 'start=pier to=mill'], [2, 'minutes=11'], [3]),
      faulty('up', [1, 'start=mill to=light'], [2, 'minutes=9'], [3]),
    ];
    expect(suspects(all, files)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('it calls between(start, to) with to, start'),
    });
    // By the end of what they are called, too.
    const ends = {
      ...files,
      '/office/app.py': files['/office/app.py'].replace('(to, start)', '(trip.to, ferry_start)'),
    };
    expect(suspects(all, ends)[0]?.reason).toContain('it calls between(start, to) with trip.to, ferry_start');
    const right = {
      ...files,
      '/office/app.py': files['/office/app.py'].replace('(to, start)', '(start, to)'),
    };
    expect(
      suspects(all, right)
        .map(({ reason }) => reason)
        .join(),
    ).not.toContain('it calls');
  });

  it('a key that is nowhere, and not one that clients may send', () => {
    const source =
      'def danger(kind)\n  rule = RULES[kind]\n  hazard = rule[:hazard]\n  hazard\nend\nRULES = { gas: { dangerous: true } }';
    const all = [
      good('timber', [1, 'kind=timber'], [2, 'rule={dry:true}'], [3], [4]),
      faulty('gas', [1, 'kind=gas'], [2, 'rule={dangerous:true}'], [3], [4]),
    ];
    const reasons = (text: string) =>
      suspects(all, { '/office/rules.rb': text }).find(({ line }) => line === 3)?.reason ?? '';
    expect(reasons(source)).toContain('it looks up hazard in rule, where it never is');
    expect(reasons(source.replace('dangerous: true', 'hazard: true'))).not.toContain('never is');
  });

  it('a key that nothing has in what an object of its own holds', () => {
    const files = {
      '/office/planner.js':
        'plan(places) {\n  const chosen = this.options.childFriendly ? flat(places) : places;\n  return chosen;\n}',
    };
    const all = [
      good('plain', [1, 'places=2 this={options:{days:1,kidFriendly:false}}'], [2, 'chosen=2'], [3]),
      faulty('kids', [1, 'places=2 this={options:{days:1,kidFriendly:true}}'], [2, 'chosen=2'], [3]),
    ];
    expect(suspects(all, files)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('it looks up childFriendly in this, where it never is'),
    });
    const getter = { ...files, '/office/options.js': '  get childFriendly() {' };
    expect(
      suspects(all, getter)
        .map(({ reason }) => reason)
        .join(),
    ).not.toContain('it looks up');
  });

  it('a line that says in which order functions run', () => {
    const source = 'STEPS = [fares, meals]\ndef fares(order):\n    a = 1\ndef meals(order):\n    b = order';
    const run = (kind: 'good' | 'faulty', name: string, value: string) =>
      request(kind, name, [
        ...path([3, 'a=1']).map((step) => ({ ...step, function: 'fares', call: '1' })),
        ...path([5, `b=${value}`], [5]).map((step) => ({ ...step, function: 'meals', call: '2' })),
      ]);
    const all = [run('good', 'one', '4'), run('good', 'two', '5'), run('faulty', 'three', '-2')];
    expect(suspects(all, { '/office/steps.py': source }).find(({ line }) => line === 1)?.reason).toContain(
      'in this order fares, meals run',
    );
    // Keys of a structure are in no order.
    const keys = source.replace('STEPS = [fares, meals]', "answer = {'fares': 1, 'meals': 2,");
    expect(
      suspects(all, { '/office/steps.py': keys })
        .map(({ reason }) => reason)
        .join(),
    ).not.toContain('in this order');
  });

  it('a default that is taken for what is there and counts as false', () => {
    const source = 'function read(body) {\n  const points = body.points || 300;\n  return points;\n}';
    const all = [
      good('some', [1, 'body={points:120}'], [2, 'points=120'], [3]),
      good('more', [1, 'body={points:200}'], [2, 'points=200'], [3]),
      faulty('none', [1, 'body={points:0}'], [2, 'points=300'], [3]),
    ];
    expect(suspects(all, { '/office/wish.js': source })[0]).toMatchObject({
      line: 2,
      reason: expect.stringMatching(/body\.points is 0|body\.points, which is zero in faulty requests/),
    });
  });

  it('what is rounded is reckoned with the values of the line', () => {
    const source = 'def litres(miles, each):\n    used = round(miles * each)\n    return used';
    const all = [
      good('ten', [1, 'miles=10 each=5.4'], [2, 'used=54'], [3]),
      good('twenty', [1, 'miles=20 each=5.4'], [2, 'used=108'], [3]),
      faulty('three', [1, 'miles=7 each=5.4'], [2, 'used=38'], [3]),
      faulty('eleven', [1, 'miles=12 each=5.4'], [2, 'used=65'], [3]),
    ];
    expect(suspects(all, { '/office/usage.py': source }).find(({ line }) => line === 2)?.reason).toContain(
      'it cuts or rounds miles * each, which is not whole',
    );
  });

  it('texts that begin with each other are set beside each other', () => {
    const source =
      '<?php\nfunction blocked($code, $word)\n{\n    if (strpos($code, $word)) {\n        return true;\n    }\n    return false;\n}';
    const all = [
      good('one', [4, '$code=SUMMER $word=TEST'], [7]),
      good('two', [4, '$code=STAFF $word=TEST'], [7]),
      faulty('three', [4, '$code=TEST-5 $word=TEST'], [7]),
    ];
    expect(suspects(all, { '/office/codes.php': source })[0]).toMatchObject({
      line: 4,
      reason: expect.stringMatching(/\$code begins with \$word .*it takes the first place for none/),
    });
  });

  it('a variable of a block that is begun anew has not been lost by the line before', () => {
    const source = 'def total(rows)\n  rows.each do |row|\n    each = row\n    sum = sum + 1\n  end\nend';
    const all = [
      good('one', [2, 'row=1'], [3, 'each=1'], [4]),
      faulty('two', [2, 'row=1'], [3, 'each=1'], [4, 'each=nil row=2'], [3, 'each=2'], [4]),
    ];
    expect(
      suspects(all, { '/office/rows.rb': source })
        .map(({ reason }) => reason)
        .join(),
    ).not.toContain('each is missing');
  });

  it('of a structure the row of a table is found by the part that tells the kinds apart', () => {
    const files = {
      '/office/limits.py': 'def limit(boat, wind):\n    found = LIMITS.get(wind)\n    return found',
      '/office/limits.csv': 'boat,wind,sail,stay\nKestrel,N,25,38\nKestrel,W,13,40\nPetrel,W,23,33\n',
    };
    const all = [
      good('north', [1, 'boat=Kestrel wind=N'], [2, "found={'sail':25,'stay':38}"], [3]),
      good('petrel', [1, 'boat=Petrel wind=W'], [2, "found={'sail':23,'stay':33}"], [3]),
      faulty('west', [1, 'boat=Kestrel wind=W'], [2, "found={'sail':13,'stay':40}"], [3]),
    ];
    const rows = suspects(all, files).filter(({ file }) => file === 'limits.csv');
    expect(rows.map(({ line }) => line)).toEqual([3]);
  });

  it('a copy of only the outside of what all requests share', () => {
    const files = {
      '/office/settings.js':
        'const DEFAULTS = {\n  channels: ["mail"],\n};\nfunction settingsFor(body) {\n  const settings = { ...DEFAULTS };\n  settings.channels.push(body.more);\n  return settings;\n}',
    };
    const all = [good('one', [5, 'body={more:1}'], [6], [7]), faulty('two', [5, 'body={more:2}'], [6], [7])];
    const reasons = (source: string) =>
      suspects(all, { '/office/settings.js': source }).find(({ line }) => line === 5)?.reason ?? '';
    const source = files['/office/settings.js'];
    expect(reasons(source)).toContain(
      'it does not copy what is inside of DEFAULTS, and channels of that is changed in place',
    );
    expect(
      reasons(source.replace('settings.channels.push(body.more)', 'settings.channels = []')),
    ).not.toContain('does not copy');
    expect(reasons(source.replace('{ ...DEFAULTS }', 'structuredClone(DEFAULTS)'))).not.toContain(
      'does not copy',
    );
  });

  it('a time of another zone that is read', () => {
    const source = 'def day_of(text):\n    moment = datetime.fromisoformat(text)\n    return moment';
    const all = [
      good('utc', [1, 'text=2026-03-04T12:00:00+00:00'], [2, 'moment=a'], [3]),
      good('later', [1, 'text=2026-03-05T12:00:00Z'], [2, 'moment=b'], [3]),
      faulty('west', [1, 'text=2026-03-04T22:00:00-05:00'], [2, 'moment=c'], [3]),
    ];
    expect(suspects(all, { '/office/clock.py': source })[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('it reads a time of text, which is of another zone than UTC'),
    });
  });

  it('a day that is another one than where it comes from', () => {
    const source = 'def day_of(moment):\n    local = moment.shifted()\n    return local';
    const all = [
      good('noon', [1, 'moment=2026-07-01T12:00:00+02:00'], [2, 'local=2026-07-01T10:00:00Z'], [3]),
      good('evening', [1, 'moment=2026-07-03T20:00:00+02:00'], [2, 'local=2026-07-03T18:00:00Z'], [3]),
      faulty('night', [1, 'moment=2026-07-02T00:30:00+02:00'], [2, 'local=2026-07-01T22:30:00Z'], [3]),
    ];
    expect(suspects(all, { '/office/clock.py': source })[0]).toMatchObject({
      line: 2,
      reason: expect.stringMatching(/is of another day than/),
    });
  });

  it('what a table has in other letters', () => {
    const source =
      'def fee(berth):\n    factor = BERTHS.get(berth, 1)\n    return factor\nBERTHS = {"Inner": 2, "pier": 3}';
    const all = [
      good('pier', [1, 'berth=pier'], [2, 'factor=3'], [3]),
      faulty('inner', [1, 'berth=inner'], [2, 'factor=1'], [3]),
    ];
    expect(suspects(all, { '/office/fees.py': source }).find(({ line }) => line === 2)?.reason).toContain(
      'it looks up inner, and what there is is called Inner',
    );
  });

  it('a table that is gone over as a whole has no row that was read', () => {
    const rows = Array.from({ length: 6 }, (_, index) => `    {"id": ${index + 1}, "name": "Ada"},`);
    const files = {
      '/office/search.py': 'def found(rows):\n    for row in rows:\n        hit = row["id"]\n    return hit',
      '/office/store.py': ['ROWS = [', ...rows, ']'].join('\n'),
    };
    const pass = (id: number): [number, string] => [3, `row={'id':${id},'name':'Ada'} hit=${id}`];
    const all = [
      good('none', [1, 'rows=Ada'], [3, 'hit=0'], [4]),
      faulty('all', [1, 'rows=Ada'], pass(1), pass(2), pass(3), pass(4), pass(5), pass(6), [4]),
    ];
    expect(suspects(all, files).filter(({ file }) => file === 'store.py')).toEqual([]);
  });

  it('a case that goes on into the next one, however usual its last line is', () => {
    const source = [
      'function next(event) {',
      '  let fee = 0;',
      '  switch (event) {',
      "    case 'hold':",
      '      fee += 2;',
      "      state = 'held';",
      "    case 'lapse':",
      '      fee += 7;',
      '      break;',
      "    case 'a':",
      "    case 'b':",
      '      fee += 1;',
      '      break;',
      '  }',
      '  return fee;',
      '}',
    ].join('\n');
    const all = [
      good('lapse', [2, 'fee=0'], [3], [8, 'fee=7'], [9], [15]),
      good('b', [2, 'fee=0'], [3], [12, 'fee=1'], [13], [15]),
      faulty('hold', [2, 'fee=0'], [3], [5, 'fee=2'], [6], [8, 'fee=9'], [9], [15]),
    ];
    const found = suspects(all, { '/office/machine.js': source });
    expect(found[0]).toMatchObject({
      line: 6,
      reason: expect.stringContaining("it goes on into the next case: case 'lapse':"),
    });
    expect(found.find(({ line }) => line === 7)?.reason).toContain(
      'what stands before it goes on into this case',
    );
    const left = source.replace("state = 'held';", "state = 'held'; break;");
    expect(
      suspects(all, { '/office/machine.js': left })
        .map(({ reason }) => reason)
        .join(),
    ).not.toContain('next case');
  });

  it('a number that is zero and taken for nothing', () => {
    const source =
      '<?php\nfunction guest($name)\n{\n    $at = array_search($name, GUESTS, true);\n    if (!$at) {\n        return null;\n    }\n    return $at;\n}';
    const all = [
      good('second', [4, '$name=Ada $at=1'], [5], [8]),
      good('absent', [4, '$name=Zed $at=false'], [5], [6]),
      faulty('first', [4, '$name=Una $at=0'], [5], [6]),
    ];
    expect(suspects(all, { '/office/guests.php': source })[0]).toMatchObject({
      line: 5,
      reason: expect.stringContaining('it decides by $at, which is zero in faulty requests'),
    });
  });

  it('a line that sees something else in faulty requests has a condition for it', () => {
    const source =
      'def rate(kind):\n    name = "return-" + kind\n    rate = RATES.get(name, 1)\n    return rate';
    const all = [
      good('adult', [1, 'kind=adult'], [2, 'name=return-adult'], [3, 'rate=1'], [4]),
      good('senior', [1, 'kind=senior'], [2, 'name=return-senior'], [3, 'rate=1'], [4]),
      faulty('child', [1, 'kind=child'], [2, 'name=return-child'], [3, 'rate=5'], [4]),
      faulty('two children', [1, 'kind=child'], [2, 'name=return-child'], [3, 'rate=5'], [4]),
    ];
    const sources = [{ path: FILE, first: 1, lines: source.split('\n') }];
    const text = (_file: string, line: number) => source.split('\n')[line - 1];
    const { ranked } = contrast(all, { text, sources });
    expect(ranked.find(({ line }) => line === 3)?.when).toBe('name == "return-child"');
    expect(ranked.find(({ line }) => line === 2)?.when).toBe('kind == "child"');
  });
});
