import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { runAmber, startAmber } from '../support/amber.js';
import { forRoot, intrude } from '../support/intruder.js';
import { describePhp, PhpFpm } from '../support/php.js';
import { endPrograms } from '../support/program.js';

const SOURCE = `<?php
function twice(int $n): int {
    $value = $n * 2;
    return $value;
}
echo twice((int) $_GET['n']);
`;
/** Whom the workers of Debian's php-fpm run as. */
const POOL = 'www-data';

describePhp('php-fpm whose workers are another user', ['cli', 'fpm'], () => {
  const base = mkdtempSync(join(tmpdir(), 'amber-fpm-'));
  const shared = join(base, 'run');
  const env = { AMBER_RUN_DIR: shared };
  beforeAll(() => {
    spawnSync('chmod', ['755', base]);
    spawnSync('install', ['-d', '-g', POOL, '-m', '2770', shared]);
  });
  afterEach(endPrograms);
  afterAll(() => rmSync(base, { recursive: true, force: true }));

  forRoot('is marked, stopped at, left as it was by a kill, and closed to everybody else', async () => {
    const fpm = await PhpFpm.start({ 'index.php': SOURCE }, 2, [], { user: POOL, env });
    const cwd = fpm.folder;
    const { stdout } = await runAmber(['targets', '--json'], { env });
    expect(stdout).toContain(`"pid":${fpm.pid},"runtime":"php"`);
    const amber = startAmber(['attach', `${fpm.pid}`], { cwd, env });
    await amber.shows('attached to');
    amber.type('log index.php:4 "{$n} {$value}"\n');
    await amber.shows('no request has looked at it yet');
    expect(await fpm.get('/?n=4')).toBe('8');
    await amber.shows('4 8');
    amber.type('break twice when $n === 7\n');
    await amber.shows('mark 2 at twice (index.php:3) is on (spliced)\n');
    const { got, names } = intrude(shared, fpm.pid);
    expect(got).toBe('');
    expect(names).toContain(join('php', `${fpm.pid}.json`));
    const held = fpm.get('/?n=7');
    await amber.shows('● mark 2');
    expect(await fpm.get('/?n=5')).toBe('10');
    amber.child.kill('SIGKILL');
    expect(await held).toBe('14');
    await amber.ended;
    expect(await fpm.get('/?n=6')).toBe('12');
    expect(existsSync(join(shared, 'php'))).toBe(false);
    expect(readdirSync(shared)).toEqual(['php-cache']);
  });

  forRoot('is refused, with what helps, where its workers cannot enter the run folder', async () => {
    const fpm = await PhpFpm.start({ 'index.php': SOURCE }, 1, [], { user: POOL });
    const own = join(base, 'own');
    spawnSync('install', ['-d', '-m', '700', own]);
    const { code, stderr } = await runAmber(['attach', `${fpm.pid}`], { env: { AMBER_RUN_DIR: own } });
    expect(code).toBe(3);
    expect(stderr).toContain(`run as ${POOL}, who may not enter the run folder ${own}`);
    expect(stderr).toContain(`install -d -g ${POOL} -m 2770`);
    expect(await fpm.get('/?n=6')).toBe('12');
  });
});
