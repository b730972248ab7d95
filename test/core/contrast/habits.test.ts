import { habitOf, setsLiteral } from '../../../src/core/contrast/habits.js';

describe('what lines do that goes wrong often', () => {
  it.each([
    ['const sorted = [...times].sort();', 'times.js', 'it sorts as text'],
    ['times.sort()', 'times.py', undefined],
    ['if (in_array($cabin, $closed)) {', 'cabins.php', 'it compares loosely'],
    ['if (in_array($cabin, $closed, true)) {', 'cabins.php', undefined],
    ['if (deck == 0) {', 'decks.js', 'it compares loosely'],
    ['if (deck === zero) {', 'decks.js', undefined],
    ['if deck == 0:', 'decks.py', undefined],
    ['party.forEach(async (person) => {', 'party.js', 'it does not wait for what it begins'],
    ['foreach ($rows as &$row) {', 'rows.php', 'it leaves a reference behind'],
    ['each = total // people', 'shares.py', 'it cuts or rounds'],
    ['total = price  # not // rounded', 'shares.py', undefined],
    ["count = body.get('count', 1)", 'app.py', 'it puts something in place of what is missing'],
    ['@season ||= season_of(month)', 'rates.rb', 'it keeps what it has found'],
    ['if weight > 20 and not heavy:', 'rules.py', 'it joins conditions'],
    ['for day in range(1, length):', 'days.py', 'it counts from here to there'],
    ['const numbers = codes.map(parseInt);', 'codes.js', 'it hands on more than what is called expects'],
    ['const numbers = codes.map(Number);', 'codes.js', undefined],
    ['times.sort((a, b) => a > b);', 'times.js', 'it orders by true and false'],
    ['times.sort((a, b) => a - b);', 'times.js', undefined],
    ['names = found.sort()', 'names.py', 'it takes what gives nothing back'],
    ['names = sorted(found)', 'names.py', undefined],
    ["key = code.upcase.gsub!('-', '')", 'codes.rb', 'it gives nothing where nothing changes'],
    ["code.gsub!('-', '')", 'codes.rb', undefined],
    ["if (kind === 'adult' || 'child') {", 'kinds.js', 'it holds whatever is compared'],
    ['if kind == "adult" or "child":', 'kinds.py', 'it holds whatever is compared'],
    ["path = path.lstrip('/quay')", 'paths.py', 'it takes letters away, not a word'],
    ["text.replace(' ', '-')", 'texts.js', 'it replaces the first only'],
    ['text.replace(/ /g, "-")', 'texts.js', undefined],
    ['for (const n in seats) {', 'seats.js', 'it goes over names, which are texts'],
    ['$all = array_merge($base, $own);', 'zones.php', 'it counts numbers of keys anew'],
    ['hours = worked / 60', 'shifts.rb', 'it divides whole numbers'],
    ['hours = worked.to_f / 60', 'shifts.rb', undefined],
    ['hours = worked / 60.0', 'shifts.rb', undefined],
  ])('%s in %s: %s', (source, file, words) => {
    const habit = habitOf(source, file);
    expect(habit.words).toBe(words);
    expect(habit.factor > 1).toBe(words !== undefined);
  });

  it.each([
    ["require_once __DIR__ . '/slips.php';", 'app.php'],
    ['from tables import discount_of', 'app.py'],
    ["const { seasonOf } = require('./seasons.js');", 'app.js'],
    ['total = 0', 'app.py'],
    ['let last = null;', 'app.js'],
    ['$found = [];', 'app.php'],
    ['const leg = single;', 'app.js'],
  ])('%s says less', (source, file) => {
    expect(habitOf(source, file).factor).toBeLessThan(1);
  });

  it.each([
    ['if (last === null || last.at > now) {', 'app.js', 'it compares at a bound'],
    ['price = row && row[kind]', 'prices.rb', undefined],
    ["if (!empty($vehicle['trailer'])) {", 'tickets.php', undefined],
  ])('whether there is something at all is no condition that is joined: %s', (source, file, words) => {
    expect(habitOf(source, file).words).toBe(words);
  });

  const isLiteral = (source: string) => setsLiteral(source, 'app.py');
  it('literals are what is written, and not what is made', () => {
    expect(['total = 0', 'lines = []', "$deck = 'any';", 'NAMES = {}.freeze'].map(isLiteral)).toEqual(
      Array(4).fill(true),
    );
    expect(['total = 0 + fee', 'lines = [first]', 'deck = decks[0]', 'at == 0'].map(isLiteral)).toEqual(
      Array(4).fill(false),
    );
  });
});
