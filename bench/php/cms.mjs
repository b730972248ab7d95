// What a session costs a content-management system (Debian's) under php-fpm with opcache on, 4 workers behind nginx,
// 8 clients: attached with nothing marked, with a logpoint in one file, with a breakpoint that is never true; each page
// compared byte for byte with what it was before anybody came.
//   node bench/php/cms.mjs [--seconds 8]
import { execFileSync, spawn } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { parseArgs } from 'node:util';
import { pause } from '../faults/served.mjs';
import { answered, besideBare, load, serveFpm } from './fpm.mjs';

const PROGRAM = '/usr/share/wordpress';
const DATABASE = '/usr/sbin/mariadbd';

/** Whether the system, its database and its servers are on this machine. */
export const hasCms = () =>
  [`${PROGRAM}/wp-settings.php`, DATABASE, '/usr/sbin/nginx', '/usr/sbin/php-fpm8.2'].every(existsSync);

async function database() {
  const folder = mkdtempSync('/tmp/amber-cms-data-');
  const socket = join(folder, 'sock');
  const common = ['--no-defaults', `--datadir=${folder}/data`, '--user=root'];
  execFileSync('mariadb-install-db', [...common, '--auth-root-authentication-method=normal'], {
    stdio: 'ignore',
  });
  const server = spawn(DATABASE, [...common, `--socket=${socket}`, '--skip-networking'], { stdio: 'ignore' });
  const ask = (text) =>
    execFileSync('mariadb', ['--no-defaults', '-uroot', `--socket=${socket}`, '-e', text], { stdio: 'pipe' });
  for (let tries = 0; ; tries += 1) {
    try {
      ask('create database ferry character set utf8mb4');
      break;
    } catch (error) {
      if (tries > 100) throw error;
      await pause(200);
    }
  }
  return {
    socket,
    async stop() {
      server.kill('SIGTERM');
      await new Promise((done) => server.on('exit', done));
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

const settings = (socket, port) => `<?php
define('DB_NAME', 'ferry');
define('DB_USER', 'root');
define('DB_PASSWORD', '');
define('DB_HOST', 'localhost:${socket}');
define('DB_CHARSET', 'utf8mb4');
define('DB_COLLATE', '');
define('WP_HOME', 'http://127.0.0.1:${port}');
define('WP_SITEURL', 'http://127.0.0.1:${port}');
define('DISABLE_WP_CRON', true);
define('AUTOMATIC_UPDATER_DISABLED', true);
define('WP_HTTP_BLOCK_EXTERNAL', true);
foreach (['AUTH', 'SECURE_AUTH', 'LOGGED_IN', 'NONCE'] as $kind) {
    define($kind . '_KEY', 'bench ' . $kind);
    define($kind . '_SALT', 'salt ' . $kind);
}
$table_prefix = 'wp_';
if (!defined('ABSPATH')) define('ABSPATH', __DIR__ . '/');
require_once ABSPATH . 'wp-settings.php';
`;

/** Makes the tables, the first user and twelve notices of the ferry office. */
const FILL = `<?php
define('WP_INSTALLING', true);
$_SERVER['HTTP_HOST'] = '127.0.0.1';
require __DIR__ . '/wp-load.php';
require ABSPATH . 'wp-admin/includes/upgrade.php';
function wp_mail() { return true; }
wp_install('Ferry office', 'clerk', 'clerk@ferry.invalid', true, '', 'made up');
foreach (range(1, 12) as $n) {
    wp_insert_post(['post_title' => "Boat $n to Tarrin", 'post_status' => 'publish', 'post_author' => 1,
        'post_date' => sprintf('2026-03-%02d 08:00:00', $n),
        'post_content' => str_repeat("<p>The boat leaves at $n, children under three go free.</p>\\n", 12)]);
}
switch_theme('twentytwentythree');
echo 'filled';
`;

/** The system with some pages, served. */
async function serveCms() {
  const data = await database();
  const service = await serveFpm({
    name: 'cms',
    write(site, port) {
      cpSync(PROGRAM, site, {
        recursive: true,
        dereference: true,
        filter: (path) => !path.endsWith('/wp-config.php'),
      });
      writeFileSync(join(site, 'wp-config.php'), settings(data.socket, port));
      mkdirSync(join(site, 'wp-content', 'uploads'), { recursive: true });
      // Behind this server every address is the right one.
      mkdirSync(join(site, 'wp-content', 'mu-plugins'), { recursive: true });
      writeFileSync(
        join(site, 'wp-content', 'mu-plugins', 'here.php'),
        "<?php\nremove_filter('template_redirect', 'redirect_canonical');\n",
      );
      writeFileSync(join(site, 'fill.php'), FILL);
      const said = execFileSync('php', ['-d', 'error_reporting=0', join(site, 'fill.php')], {
        encoding: 'utf8',
        cwd: site,
      });
      if (!said.includes('filled')) throw new Error(`the system could not be set up: ${said.slice(-500)}`);
      rmSync(join(site, 'fill.php'));
    },
    location: (site) => `rewrite ^ /index.php break; fastcgi_param SCRIPT_FILENAME ${site}/index.php;`,
  });
  return {
    ...service,
    async stop() {
      await service.stop();
      await data.stop();
    },
  };
}

const PATHS = ['/', '/?p=5', '/?p=9', '/?s=Tarrin', '/?feed=rss2', '/?p=99999', '/?m=202603'];

function lineIn(file, text) {
  const at = readFileSync(file, 'utf8').indexOf(text);
  if (at < 0) throw new Error(`${file} has no ${text}`);
  return readFileSync(file, 'utf8').slice(0, at).split('\n').length;
}

/** @param row takes name, runtime, figure and aim */
export async function cmsRows(row, runtime, seconds = 8) {
  const service = await serveCms();
  try {
    await rowsOf(service, row, runtime, seconds);
  } finally {
    await service.stop();
  }
}

async function rowsOf(service, row, runtime, seconds) {
  const { site, port } = service;
  const expected = new Map();
  for (let tries = 0; !(await answered(port, '/')).includes('Boat 12 to Tarrin'); tries += 1) {
    if (tries > 100) throw new Error(`no page comes: ${(await answered(port, '/')).slice(0, 500)}`);
    await pause(100);
  }
  await load(port, new Map(PATHS.map((path) => [path, ''])), 2);
  for (const path of PATHS) expected.set(path, await answered(port, path));
  const query = join(site, 'wp-includes', 'class-wp-query.php');
  const line = lineIn(query, "do_action_ref_array( 'parse_query'");
  const sessions = [
    ['attached, nothing marked', [], '1.1x'],
    ['a logpoint in one file', ['--log', `${query}:${line} "{$this->is_home}"`], '1.5x'],
    ['a breakpoint that is never true', ['--break', `${query}:${line} when $this->is_home === 7`], '2.5x'],
  ];
  let wrong = 0;
  for (const [name, marks, aim] of sessions) {
    const { bare, watched, after, hits } = await besideBare(service, expected, marks, seconds);
    const ms = ({ median, p99 }) => `${median.toFixed(0)} ms, 99 % ${p99.toFixed(0)}`;
    row(
      `a content-management system, ${name}: a page, to bare`,
      runtime,
      `${(watched.median / bare.median).toFixed(2)}x (${ms(watched)}; bare ${ms(bare)}) ${hits}`.trim(),
      aim,
    );
    for (const one of [bare, watched, after]) {
      wrong += one.wrong;
    }
  }
  row('its pages that were not byte for byte what they are bare', runtime, `${wrong}`, '0');
}

if (import.meta.url === pathToFileURL(process.argv[1]).href) {
  const { values: options } = parseArgs({ options: { seconds: { type: 'string', default: '8' } } });
  await cmsRows((...cells) => console.log(cells.join(' | ')), 'php-fpm', Number(options.seconds));
  process.exit(0);
}
