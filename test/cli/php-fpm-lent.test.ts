import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { runAmber, startAmber } from '../support/amber.js';
import { forRoot } from '../support/intruder.js';
import { describePhp, PhpFpm } from '../support/php.js';
import { endPrograms } from '../support/program.js';
import { until } from '../support/until.js';

const SOURCE = `<?php
function twice(int $n): int {
    $value = $n * 2;
    return $value;
}
echo $first ?? '', twice((int) $_GET['n']);
`;
/** Whom the workers of Debian's php-fpm run as. */
const POOL = 'www-data';
/** Seconds after which workers read a .user.ini anew here. */
const SECONDS = 1;

describePhp('php-fpm that was started without the agent', ['cli', 'fpm'], () => {
  const starting = { user: POOL, isBare: true, pool: [`php_admin_value[user_ini.cache_ttl] = ${SECONDS}`] };
  const files = { 'index.php': SOURCE };
  afterEach(endPrograms);

  const ours = (folder: string) => readdirSync(folder).filter((name) => /^\.(?:amber-|user\.ini)/.test(name));
  const gone = (folder: string) => until(() => ours(folder).length === 0);

  forRoot('is attached to where its document root is named, and left as it was', async () => {
    const fpm = await PhpFpm.start(files, 2, [], starting);
    const cwd = fpm.folder;
    const asked = await runAmber(['attach', `${fpm.pid}`, '--document-root', '.'], { cwd });
    expect(asked.code).toBe(3);
    expect(asked.stderr).toContain(`${join(cwd, '.user.ini')} is written, which is asked for first`);
    expect(ours(cwd)).toEqual([]);
    const amber = startAmber(['attach', `${fpm.pid}`, '--document-root', '.', '--yes'], { cwd });
    amber.type('log index.php:4 "told {$n} {$value}"\n');
    await amber.shows(`no request has looked at it yet; every worker has read ${cwd}/.user.ini within 1 s`);
    await until(async () => {
      expect(await fpm.get('/?n=3')).toBe('6');
      return amber.stdout.includes('told 3 6');
    });
    expect((await runAmber(['targets'], { cwd })).stdout).toContain(`process ${amber.child.pid} is attached`);
    amber.type('break twice when $n === 700\n');
    await amber.shows('mark 2 at twice (index.php:3) is on (spliced)\n');
    const held = until(
      async () => (await fpm.get('/?n=700')) === '1400' && amber.stdout.includes('● mark 2'),
    );
    amber.type('wait 60\nstack\nresume\n');
    await amber.shows('● mark 2');
    const text = await amber.shows('running');
    expect(text).toContain('{main}');
    expect(text).not.toContain('.amber-');
    amber.type('drop 2\ndetach\n');
    expect((await amber.ended).code).toBe(0);
    await held;
    expect(await fpm.get('/?n=4')).toBe('8');
    await gone(cwd);
    expect(await fpm.get('/?n=4')).toBe('8');
  });

  forRoot(
    'goes on when amber is killed, and when somebody takes the script away that runs first',
    async () => {
      const fpm = await PhpFpm.start({ ...files, 'first.php': '<?php $first = "1 ";' }, 2, [], starting);
      const cwd = fpm.folder;
      const own = 'auto_prepend_file = "first.php"\n';
      writeFileSync(join(cwd, '.user.ini'), own);
      const amber = startAmber(['attach', `${fpm.pid}`, '--document-root', '.', '--yes'], { cwd });
      amber.type('log index.php:4 "told {$n}"\n');
      await amber.shows('is on');
      const [stub = ''] = ours(cwd).filter((name) => name.startsWith('.amber-'));
      await until(async () => {
        const answer = await fpm.get('/?n=3');
        expect(answer).toBe('1 6');
        return amber.stdout.includes('told 3');
      });
      rmSync(join(cwd, stub));
      await until(() => existsSync(join(cwd, stub)));
      expect(await fpm.get('/?n=5')).toBe('1 10');
      amber.child.kill('SIGKILL');
      await amber.ended;
      await until(async () => {
        expect(await fpm.get('/?n=6')).toBe('1 12');
        return ours(cwd).join() === '.user.ini';
      });
      expect(readFileSync(join(cwd, '.user.ini'), 'utf8')).toBe(own);
      expect(await fpm.get('/?n=6')).toBe('1 12');
    },
  );

  forRoot('is refused where nothing of ours would be run', async () => {
    const pool = ['php_admin_value[auto_prepend_file] = /srv/first.php'];
    const fpm = await PhpFpm.start(files, 1, [], { ...starting, pool });
    const attach = ['attach', `${fpm.pid}`, '--yes', '--document-root'];
    const { code, stderr } = await runAmber([...attach, '.'], { cwd: fpm.folder });
    expect(code).toBe(3);
    expect(stderr).toContain('a pool of it sets auto_prepend_file');
    expect(ours(fpm.folder)).toEqual([]);
    expect((await runAmber([...attach, 'nowhere'], { cwd: fpm.folder })).stderr).toMatch(
      /there is no folder nowhere/,
    );
    spawnSync('chmod', ['700', fpm.folder]);
    const other = await PhpFpm.start(files, 1, [], starting);
    const barred = await runAmber(['attach', `${other.pid}`, '--yes', '--document-root', fpm.folder]);
    expect(barred.stderr).toContain(`run as ${POOL}, who cannot read ${fpm.folder}`);
  });
});
