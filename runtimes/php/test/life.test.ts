import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  chownSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { parseMark } from '../../../src/core/marks/grammar.js';
import { ownTracestate } from '../../../src/targets/own-requests.js';
import { startAmber } from '../../../test/support/amber.js';
import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { attachToPhp, describePhp, PhpFpm, PhpServer } from '../../../test/support/php.js';
import { makeFolder } from '../../../test/support/program.js';
import { agentEnvironment } from '../../list.js';

const PROGRAM = `<?php
$wrappers = implode(',', stream_get_wrappers());
$handler = var_export(set_error_handler(null), true);
function work(string $name): string
{
    $greeting = "hello $name";
    return $greeting;
}
echo work($_GET['name'] ?? 'Ada'), " $handler ", class_exists('AmberLantern\\\\Probe', false) ? 'armed' : 'bare';
echo ' ', implode(',', preg_grep('/^_/', array_keys(get_defined_vars()), PREG_GREP_INVERT)), ' ', $wrappers === implode(',', stream_get_wrappers()) ? 'same' : $wrappers;
`;

describePhp('the life of a look at PHP', ['cli'], () => {
  const runFolder = useRunFolder();
  let server: PhpServer;
  const BARE = /^hello Ada NULL bare wrappers,handler same$/;

  beforeAll(async () => {
    server = await PhpServer.start({ 'index.php': PROGRAM });
  });

  it('leaves nothing in the requests, before and after somebody was attached', async () => {
    expect(await server.get()).toMatch(BARE);
    const attached = await attachToPhp(runFolder(), server.pid);
    await attached.mark(server.path(), server.lineOf('return $greeting'), "$name === 'Tove'");
    expect(await server.get()).toMatch(/^hello Ada NULL armed wrappers,handler same$/);
    await attached.session.detach();
    expect(existsSync(join(runFolder(), 'php'))).toBe(false);
    expect(await server.get()).toMatch(BARE);
  });

  it('lets a held request go on when the client detaches', async () => {
    const attached = await attachToPhp(runFolder(), server.pid);
    await attached.mark(server.path(), server.lineOf('return $greeting'));
    const answer = server.get('/?name=Ines');
    await attached.stop();
    await attached.session.detach();
    expect(await answer).toContain('hello Ines');
    expect(await server.get()).toMatch(BARE);
  });

  it('completes a held request when amber is killed, and serves the next one bare', async () => {
    const amber = startAmber(['attach', `${server.pid}`], { cwd: server.folder });
    // A rule has its passes counted in a folder of their own.
    amber.type(`break index.php:${server.lineOf('return $greeting')} hits 1..99\n`);
    await amber.shows('is on (spliced)');
    const answer = server.get('/?name=Lars');
    await amber.shows('● mark 1');
    expect(readdirSync(join(runFolder(), 'php'))).toContain(`${server.pid}.counts`);
    amber.child.kill('SIGKILL');
    await amber.ended;
    expect(await answer).toContain('hello Lars');
    expect(await server.get()).toMatch(BARE);
    // What it left behind is taken away by the next request.
    expect(existsSync(join(runFolder(), 'php'))).toBe(false);
  });

  it('takes away what was left of a process that is gone, once it is not new', async () => {
    const folder = join(runFolder(), 'php');
    const gone = 4_194_305;
    mkdirSync(join(folder, `${gone}.counts`), { recursive: true, mode: 0o700 });
    writeFileSync(join(folder, `${gone}.counts`, '1'), '7');
    writeFileSync(
      join(folder, `${gone}.json`),
      JSON.stringify({ version: 1, client: gone, address: 'unix:///nowhere' }),
    );
    writeFileSync(join(folder, `${gone}.json.new`), '{');
    expect(await server.get()).toContain('hello');
    expect(readdirSync(folder)).toHaveLength(3);
    const before = new Date(Date.now() - 60_000);
    utimesSync(folder, before, before);
    expect(await server.get()).toContain('hello');
    expect(existsSync(folder)).toBe(false);
    expect(await server.get()).toMatch(BARE);
  });

  it('tells a second client who is attached', async () => {
    const first = startAmber(['attach', `${server.pid}`], { cwd: server.folder });
    await first.shows('attached to');
    const second = startAmber(['targets'], { cwd: server.folder });
    expect((await second.ended).stdout).toContain(`process ${first.child.pid} is attached`);
    first.child.stdin?.end();
    await first.ended;
  });

  it('stops only the requests that the user sends, when asked to', async () => {
    const attached = await attachToPhp(runFolder(), server.pid, {
      only: ownTracestate(process.env).split('=')[1] ?? '',
    });
    await attached.mark(server.path(), server.lineOf('return $greeting'));
    expect(await server.get()).toMatch(BARE);
    const own = server.get('/', { headers: { tracestate: `other=1, ${ownTracestate(process.env)}` } });
    const stop = await attached.stop();
    await stop.resume();
    expect(await own).toContain('armed');
    await attached.session.detach();
  });

  it('keeps others out of its folder and its socket', async () => {
    const attached = await attachToPhp(runFolder(), server.pid);
    const folder = join(runFolder(), 'php');
    expect(statSync(folder).mode & 0o777).toBe(0o700);
    expect(statSync(join(folder, `${server.pid}.sock`)).mode & 0o777).toBe(0o600);
    await attached.mark(server.path(), server.lineOf('return $greeting'));
    // A folder that everybody may write to could hold a plan of anybody's: nothing is read from it.
    chmodSync(folder, 0o707);
    expect(await server.get()).toMatch(BARE);
    chmodSync(folder, 0o700);
    await attached.session.detach();
  });

  it('is not stopped by a plan of nobody, or one that is no plan', async () => {
    const folder = join(runFolder(), 'php');
    mkdirSync(folder, { mode: 0o700 });
    writeFileSync(join(folder, `${server.pid}.json`), 'no plan');
    expect(await server.get()).toMatch(BARE);
    writeFileSync(
      join(folder, `${server.pid}.json`),
      JSON.stringify({
        version: 1,
        client: 4_194_303,
        address: 'unix:///nowhere',
        files: {},
        functions: [],
        requests: [],
      }),
    );
    expect(await server.get()).toMatch(BARE);
    expect(existsSync(folder)).toBe(false);
  });

  it('reads nothing from a folder of another user that nobody has named', async () => {
    const base = makeFolder({});
    const env: NodeJS.ProcessEnv = { ...process.env, XDG_RUNTIME_DIR: base };
    delete env.AMBER_RUN_DIR;
    const run = (text: string) => {
      const script = join(base, 'script.php');
      writeFileSync(script, `<?php ${text}`);
      return execFileSync('php', [script], { env: { ...env, ...agentEnvironment(env) }, encoding: 'utf8' });
    };
    const folder = run("echo get_cfg_var('amber.folder');");
    expect(folder).toBe(join(base, 'amber-lantern', 'php'));
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    const plan = {
      version: 1,
      client: process.pid,
      address: '',
      files: {},
      functions: [],
      requests: [],
      errors: [],
    };
    const rest = { foreign: [], steps: false, entry: false, only: null, veil: { names: [], off: false } };
    writeFileSync(
      join(folder, `${process.pid}.json`),
      JSON.stringify({ ...plan, ...rest, cache: base, counts: base }),
    );
    const isArmed = () => run("echo class_exists('AmberLantern\\Probe', false) ? 'armed' : 'bare';");
    expect(isArmed()).toBe('armed');
    chmodSync(folder, 0o703);
    expect(isArmed()).toBe('bare');
    chmodSync(folder, 0o700);
    if (process.getuid?.() === 0) {
      chownSync(folder, 12_345, 12_345);
      expect(isArmed()).toBe('bare');
    }
    rmSync(base, { recursive: true, force: true });
  });

  it('drops what is no DBGp, and stays attached', async () => {
    const attached = await attachToPhp(runFolder(), server.pid);
    const stranger = connect(join(runFolder(), 'php', `${server.pid}.sock`));
    const closed = new Promise((done) => stranger.once('close', done));
    stranger.write('GET / HTTP/1.1\r\n\r\n\0');
    await closed;
    await attached.mark(server.path(), server.lineOf('return $greeting'));
    const answer = server.get();
    await (await attached.stop()).resume();
    expect(await answer).toContain('hello');
    await attached.session.detach();
  });

  it('goes on when a client of its request has gone away', async () => {
    const attached = await attachToPhp(runFolder(), server.pid);
    await attached.mark(server.path(), server.lineOf('return $greeting'), "$name === 'gone'");
    const abort = new AbortController();
    const gone = server.get('/?name=gone', { signal: abort.signal }).catch(() => 'aborted');
    const stop = await attached.stop();
    abort.abort();
    expect(await gone).toBe('aborted');
    await stop.resume();
    expect(await server.get()).toContain('hello Ada');
    await attached.session.detach();
  });

  it('sees a file that was changed, one with an error, and one that is new', async () => {
    const attached = await attachToPhp(runFolder(), server.pid);
    server.write('late.php', "<?php\nfunction late() {\n    return 'first';\n}\necho late();\n");
    await attached.mark(server.path('late.php'), 3);
    const first = server.get('/late.php');
    await (await attached.stop()).resume();
    expect(await first).toBe('first');
    server.write('late.php', "<?php\n\nfunction late() {\n    return 'second one';\n}\necho late();\n");
    const second = server.get('/late.php');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('late:4');
    await stop.resume();
    expect(await second).toBe('second one');
    server.write('late.php', '<?php\nfunction late( {\n');
    const from = server.stderr.length;
    const broken = await server.get('/late.php');
    expect(server.stderr.slice(from)).toContain('PHP Parse error:  syntax error, unexpected token "{"');
    expect(server.stderr.slice(from)).not.toMatch(/AmberLantern|eval/);
    await attached.session.detach();
    expect(broken).toBe(await server.get('/late.php'));
  });

  it('survives what ends a request: exit, a fatal error, memory, time', async () => {
    const attached = await attachToPhp(runFolder(), server.pid);
    const endings: Record<string, string> = {
      exit: 'exit("bye");',
      fatal: 'nothing_like_this();',
      memory: 'ini_set("memory_limit", "16M"); str_repeat("x", 100_000_000);',
      time: 'set_time_limit(1); while (true) { $n++; }',
      headers: 'ob_end_flush(); flush(); header("X-Late: 1"); echo "after";',
    };
    for (const [name, code] of Object.entries(endings)) {
      const text = `<?php\nfunction run() {\n    $n = 0;\n    ${code}\n}\nrun();\necho "end";\n`;
      server.write(`${name}.php`, text);
      const bare = await attached.session.detach().then(() => server.get(`/${name}.php`));
      const again = await attachToPhp(runFolder(), server.pid);
      again.store.add(parseMark(`${name}.php:3`), server.path(`${name}.php`));
      await again.sync.send();
      const answer = server.get(`/${name}.php`);
      await (await again.stop()).resume();
      expect((await answer).replace(/#\d .*/g, '')).toBe(bare.replace(/#\d .*/g, ''));
      await again.session.detach();
    }
    expect(await server.get()).toMatch(BARE);
  });
});

describePhp('a router of php -S', ['cli'], () => {
  const runFolder = useRunFolder();

  it('is looked at, as the scripts to which it passes requests on', async () => {
    const server = await PhpServer.start(
      {
        'route.php':
          "<?php\nif ($_SERVER['REQUEST_URI'] === '/page.php') {\n    return false;\n}\n$where = __FILE__;\necho basename($where);\n",
        'page.php': '<?php\n$page = 1;\necho "page";\n',
      },
      { router: 'route.php' },
    );
    expect(await server.get('/x')).toBe('route.php');
    const attached = await attachToPhp(runFolder(), server.pid);
    await attached.mark(server.path('route.php'), 6);
    await attached.mark(server.path('page.php'), 3);
    const routed = server.get('/x');
    const stop = await attached.stop();
    expect((await stop.frames()).map(({ name, line }) => `${name}:${line}`)).toEqual(['{main}:6']);
    await stop.resume();
    expect(await routed).toBe('route.php');
    const page = server.get('/page.php');
    const inPage = await attached.stop();
    expect(await whereIs(inPage)).toBe('{main}:3');
    await inPage.resume();
    expect(await page).toBe('page');
    await attached.session.detach();
    expect(await server.get('/page.php')).toBe('page');
  });
});

describe.each([
  ['with opcache', ['-d', 'opcache.enable=1', '-d', 'opcache.revalidate_freq=0']],
  ['without opcache', ['-d', 'opcache.enable=0']],
])('php-fpm %s', (_, options) => {
  describePhp('with several workers', ['fpm'], () => {
    const runFolder = useRunFolder();
    let fpm: PhpFpm;
    beforeAll(async () => {
      fpm = await PhpFpm.start(
        { 'index.php': PROGRAM, 'lib.php': "<?php\nreturn ['a' => 1];\n" },
        3,
        options,
      );
    });

    it('holds each request by itself, and serves the others', async () => {
      expect(await fpm.get()).toMatch(/^hello Ada NULL bare/);
      const attached = await attachToPhp(runFolder(), fpm.pid);
      const line = PROGRAM.split('\n').findIndex((text) => text.includes('return $greeting')) + 1;
      await attached.mark(fpm.path(), line, "$name !== 'Ada'");
      const answers = ['Tove', 'Lars'].map((name) => fpm.get(`/?name=${name}`));
      const [one, other] = [await attached.stop(), await attached.stop()];
      expect((await attached.session.threads()).map(({ name }) => name).sort()).toEqual([
        'GET /?name=Lars',
        'GET /?name=Tove',
      ]);
      expect(await fpm.get()).toMatch(/^hello Ada NULL armed wrappers,handler same$/);
      expect(await whereIs(other)).toBe(`work:${line}`);
      await other.resume();
      await Promise.race(answers);
      expect(await whereIs(one)).toBe(`work:${line}`);
      await one.resume();
      expect((await Promise.all(answers)).join()).toMatch(/hello Tove.*hello Lars/s);
      await attached.session.detach();
      for (let request = 0; request < 6; request += 1) {
        expect(await fpm.get()).toMatch(/^hello Ada NULL bare .* same$/);
      }
      expect(readdirSync(runFolder()).filter((name) => name.startsWith('php'))).toEqual(['php-cache']);
      expect(readFileSync(join(fpm.folder, 'fpm.log'), 'utf8')).not.toMatch(/warning|error|segfault/i);
    });
  });
});
