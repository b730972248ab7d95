// Makes demo/data: the invented figures of Skerrow Ferries. The seed is fixed, so the files are always the same.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';

const SEED = 20260501;
const ISLANDS = ['Skerrow', 'Innish', 'Tarrin', 'Holm'];
/** Nautical miles between the harbours. */
const MILES = { 'Skerrow-Innish': 9, 'Skerrow-Tarrin': 16, 'Skerrow-Holm': 23, 'Innish-Tarrin': 8, 'Innish-Holm': 17, 'Tarrin-Holm': 11 };
const KINDS = { adult: 1, child: 0.5, senior: 0.75, bicycle: 0.3, motorcycle: 1.4, car: 3.2, van: 4.6 };
const SEASONS = { low: 0.8, middle: 1, high: 1.3 };

/** A small generator of numbers in [0, 1) (mulberry32), so that no library's version changes the data. */
function numbers(seed) {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

const next = numbers(SEED);
const rows = ['from,to,season,kind,single'];
for (const from of ISLANDS) {
  for (const to of ISLANDS) {
    const miles = MILES[`${from}-${to}`] ?? MILES[`${to}-${from}`];
    if (miles === undefined) continue;
    for (const [season, ofSeason] of Object.entries(SEASONS)) {
      for (const [kind, ofKind] of Object.entries(KINDS)) {
        const price = (4 + miles * 0.9) * ofSeason * ofKind + next() * 0.4;
        rows.push([from, to, season, kind, (Math.round(price * 10) / 10).toFixed(2)].join(','));
      }
    }
  }
}

const here = import.meta.dirname;
writeFileSync(join(here, 'data', 'fares.csv'), `${rows.join('\n')}\n`);
writeFileSync(
  join(here, 'data', 'discounts.csv'),
  ['name,value', 'return,10%', 'return-child,5', 'return-senior,20%', 'group,5%', ''].join('\n'),
);
writeFileSync(
  join(here, 'data', 'extras.csv'),
  ['season,name,amount', 'low,harbour,0.40', 'middle,harbour,0.40', 'high,harbour,0.40', 'high,peak,1.50', ''].join('\n'),
);

const BOATS = ['Kittiwake', 'Merlin', 'Sandpiper'];
const timetable = ['from,to,leaves,boat'];
let boat = 0;
for (const from of ISLANDS) {
  for (const to of ISLANDS) {
    if (from === to) continue;
    for (const hour of [7, 10, 13, 17, 21]) {
      const minute = Math.floor(next() * 4) * 15;
      timetable.push([from, to, `${`${hour}`.padStart(2, '0')}:${`${minute}`.padStart(2, '0')}`, BOATS[boat % BOATS.length]].join(','));
      boat += 1;
    }
  }
}
writeFileSync(join(here, 'data', 'timetable.csv'), `${timetable.join('\n')}\n`);
const cabins = ['boat,cabin,berths'];
for (const name of BOATS) {
  for (let number = 1; number <= 12; number += 1) {
    cabins.push([name, `${name[0]}${`${number}`.padStart(2, '0')}`, next() < 0.5 ? 2 : 4].join(','));
  }
}
writeFileSync(join(here, 'data', 'cabins.csv'), `${cabins.join('\n')}\n`);

/** High and low water of each harbour, every six hours and some minutes, with the moon's slow swing. */
const tides = ['harbour,at,metres'];
const FIRST_DAY = Date.UTC(2026, 3, 30);
const HALF_TIDE = 6 * 60 + 12.5;
for (const [index, harbour] of ISLANDS.entries()) {
  for (let number = 0; number < 62; number += 1) {
    const at = new Date(FIRST_DAY + (index * 37 + number * HALF_TIDE) * 60_000);
    const swing = Math.cos((number / 57) * 2 * Math.PI) * 0.5;
    const metres = number % 2 === 0 ? 3.1 + swing + next() * 0.2 : 1.1 - swing + next() * 0.2;
    // One entry was typed with its unit.
    const typed = harbour === 'Tarrin' && number === 15 ? `${metres.toFixed(1)}m` : metres.toFixed(1);
    tides.push([harbour, at.toISOString().slice(0, 16), typed].join(','));
  }
}
writeFileSync(join(here, 'data', 'tides.csv'), `${tides.join('\n')}\n`);

// Kilograms; one entry was typed in tonnes.
const WEIGHTS = ['traveller,78', 'luggage,14', 'bicycle,16', 'motorcycle,0.21t', 'car,1480', 'van,2350'];
writeFileSync(join(here, 'data', 'weights.csv'), `${['kind,weight', ...WEIGHTS].join('\n')}\n`);
