/*
 * A content-management system with its own database behind nginx and php-fpm, all in this folder: node serve.mjs PORT
 * The ferry office is a plugin of it.
 */
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';

const quiet = { stdio: 'ignore' };
const running = [];
// They have groups of their own, and workers that nobody else would end.
process.on('SIGTERM', () => {
  for (const each of running) {
    each.kill('SIGTERM');
  }
  process.exit(0);
});
const started = (program, args) => running.push(spawn(program, args, quiet));

const folder = process.cwd();
const port = Number(process.argv[2]);
const site = join(folder, 'site');
const socket = join(folder, 'base.sock');
const work = join(folder, 'work');
mkdirSync(work);

cpSync('/usr/share/wordpress', site, {
  recursive: true,
  dereference: true,
  filter: (path) => !/\.(?:mo|po)$/.test(path),
});
mkdirSync(join(site, 'wp-content', 'mu-plugins'), { recursive: true });
cpSync(join(folder, 'passage.php'), join(site, 'wp-content', 'mu-plugins', 'passage.php'));
cpSync(join(folder, 'office.php'), join(site, 'wp-content', 'mu-plugins', 'office.php'));
writeFileSync(
  join(site, 'wp-config.php'),
  `<?php
define('DB_NAME', 'office'); define('DB_USER', 'root'); define('DB_PASSWORD', ''); define('DB_HOST', 'localhost:${socket}');
define('DB_CHARSET', 'utf8mb4'); define('DB_COLLATE', ''); $table_prefix = 'wp_';
define('WP_HOME', 'http://127.0.0.1:${port}'); define('WP_SITEURL', WP_HOME); define('DISABLE_WP_CRON', true);
define('WP_HTTP_BLOCK_EXTERNAL', true); define('AUTOMATIC_UPDATER_DISABLED', true);
if (!defined('ABSPATH')) define('ABSPATH', __DIR__ . '/');
require_once ABSPATH . 'wp-settings.php';
`,
);
writeFileSync(
  join(folder, 'fpm.conf'),
  `[global]
error_log = ${work}/fpm.log
daemonize = no
[www]
user = root
group = root
listen = ${folder}/fpm.sock
pm = static
pm.max_children = 4
clear_env = no
php_admin_value[opcache.enable] = 1
`,
);
const temporary = ['client_body', 'fastcgi', 'proxy', 'uwsgi', 'scgi'].map(
  (kind) => `${kind}_temp_path ${work};`,
);
writeFileSync(
  join(folder, 'nginx.conf'),
  `user root; pid ${work}/pid; error_log ${work}/nginx.log; daemon off; events {}
http { access_log off; ${temporary.join(' ')}
server { listen 127.0.0.1:${port}; root ${site}; index index.php;
location / { try_files $uri /index.php?$args; }
location ~ \\.php$ { include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME $document_root$fastcgi_script_name;
fastcgi_pass unix:${folder}/fpm.sock; } } }`,
);

const base = join(folder, 'base');
spawnSync(
  'mariadb-install-db',
  ['--user=root', `--datadir=${base}`, '--auth-root-authentication-method=normal'],
  { stdio: 'ignore' },
);
started('mariadbd', [
  '--user=root',
  `--datadir=${base}`,
  `--socket=${socket}`,
  '--skip-networking',
  '--innodb-flush-log-at-trx-commit=0',
]);
while (spawnSync('mariadb-admin', [`--socket=${socket}`, 'create', 'office'], quiet).status !== 0) {
  await pause(200);
}
const install =
  "define('WP_INSTALLING', true); $_SERVER['HTTP_HOST'] = '127.0.0.1'; require 'wp-load.php'; require 'wp-admin/includes/upgrade.php'; wp_install('Ferry office', 'ada', 'ada@holm.example', true, '', 'ferry');";
// Without the agent, which is for those who serve.
const { PHP_INI_SCAN_DIR: _ours, ...plain } = process.env;
spawnSync('php', ['-r', install], { cwd: site, stdio: 'ignore', env: plain });
started('php-fpm8.2', ['-R', '-y', join(folder, 'fpm.conf'), '-F']);
started('nginx', ['-c', join(folder, 'nginx.conf')]);
