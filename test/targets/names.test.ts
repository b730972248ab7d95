import fc from 'fast-check';
import { RUNTIMES } from '../../runtimes/list.js';
import { type Nameable, nameTargets, programName } from '../../src/targets/names.js';
import type { Runtime } from '../../src/targets/runtime.js';

describe('the name of a program', () => {
  const cases: [string, string, string, string][] = [
    ['python', 'python3 fares.py', '/srv/ferry', 'fares'],
    ['python', 'python3 -X dev -u desk/fares.py --port 8000', '/srv/ferry', 'fares'],
    ['python', 'python3 app.py', '/srv/fares', 'fares'],
    ['python', 'python3 src/main.py', '/srv/fares', 'fares'],
    ['python', '/usr/bin/python3 /usr/local/bin/gunicorn app:app', '/srv/fares', 'fares'],
    ['python', 'python3 -m uvicorn app:app', '/srv/fares/app', 'fares'],
    ['python', 'python3 -c print()', '/srv/fares', 'fares'],
    ['python', 'python3 manage.py runserver', '/home/aino/office', 'office'],
    ['ruby', 'ruby -W0 -I lib sailings.rb', '/srv/ferry', 'sailings'],
    ['ruby', 'puma 5.6.5 (tcp://0.0.0.0:9292) [sailings]', '/srv/sailings', 'sailings'],
    ['ruby', 'ruby bin/rails server', '/srv/sailings', 'sailings'],
    ['php', 'php -S 127.0.0.1:8080 -t public index.php', '/srv/slips', 'slips'],
    ['php', 'php-fpm: master process (/etc/php/8.2/fpm/php-fpm.conf)', '/srv/slips', 'php-fpm'],
    ['php', 'php job.php', '/srv/slips', 'job'],
    ['javascript', 'node --watch --require ./boot.js server.mjs', '/srv/desk', 'desk'],
    ['javascript', 'node .', '/srv/desk', 'desk'],
    ['javascript', 'node node_modules/next/dist/bin/next start', '/srv/desk', 'desk'],
    ['javascript', 'node', '/', 'node'],
    ['python', 'python3 app.py', '/srv/2026', 'python 2026'],
    ['python', 'python3 fares.py', '', 'fares'],
  ];
  it.each(cases)('%s: %s in %s is %s', (of, command, folder, name) => {
    const runtime = RUNTIMES.find((one) => one.name === of) as Runtime;
    const words = command.includes(': master') || command.startsWith('puma') ? [command] : command.split(' ');
    expect(programName(runtime, words, folder)).toBe(name);
  });
});

describe('the names of several', () => {
  const target = (pid: number, more: Partial<Nameable> = {}): Nameable => ({
    pid,
    runtime: 'python',
    parent: 1,
    base: 'fares',
    isGiven: false,
    isClosed: false,
    isPrepared: true,
    age: 100 - pid,
    ...more,
  });
  const named = (targets: Nameable[], listening: number[] = []) =>
    Object.fromEntries(nameTargets(targets, (pid) => listening.includes(pid)));

  it('have a number where they are alike, the oldest none; what amber.yaml names goes first', () => {
    expect(named([target(2), target(1), target(3, { base: 'desk' })])).toEqual({
      1: 'fares',
      2: 'fares 2',
      3: 'desk',
    });
    expect(named([target(1), target(2, { isGiven: true })])).toEqual({ 1: 'fares 2', 2: 'fares' });
    expect(named([target(1, { isClosed: true }), target(2)])).toEqual({ 1: 'fares 2', 2: 'fares' });
    expect(named([target(1, { isPrepared: false }), target(2)])).toEqual({ 1: 'fares 2', 2: 'fares' });
  });

  it('tell what serves from what has started it', () => {
    const reloader = [target(1), target(2, { parent: 1 })];
    expect(named(reloader, [2])).toEqual({ 1: 'fares parent', 2: 'fares' });
    const workers = [target(1), target(2, { parent: 1 }), target(3, { parent: 1 })];
    expect(named(workers, [1, 2, 3])).toEqual({ 1: 'fares parent', 2: 'fares', 3: 'fares 2' });
    // A pool of processes that do sums is not what people mean.
    expect(named(workers)).toEqual({ 1: 'fares', 2: 'fares 2', 3: 'fares 3' });
  });

  it('are never one for two', () => {
    const bases = fc.constantFrom('fares', 'fares 2', 'fares parent', 'desk');
    const some = fc.array(
      fc.record({ base: bases, parent: fc.nat(6), age: fc.nat(9), isClosed: fc.boolean() }),
    );
    fc.assert(
      fc.property(some, fc.array(fc.nat(6)), (facts, listening) => {
        const targets = facts.map((fact, pid) => target(pid, fact));
        const names = Object.values(named(targets, listening));
        expect(names).toHaveLength(targets.length);
        expect(new Set(names).size).toBe(names.length);
      }),
    );
  });
});
