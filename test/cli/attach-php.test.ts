import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { type Amber, recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { describePhp } from '../support/php.js';
import { makeFolder } from '../support/program.js';

const SLIPS = resolve(__dirname, '..', '..', 'demo', 'slips');

describePhp('the demo’s slips (PHP) in the prompt', ['cli'], () => {
  useRunFolder();
  let service: Amber;
  let url: string;
  let folder: string;
  const lineOf = (file: string, text: string) =>
    readFileSync(join(SLIPS, file), 'utf8')
      .split('\n')
      .findIndex((line) => line.includes(text)) + 1;
  const make = async (form: Record<string, string>) => {
    const response = await fetch(`${url}/slips`, {
      method: 'POST',
      headers: { Connection: 'close' },
      body: new URLSearchParams(form),
    });
    return (await response.json()) as { id: number; total: number };
  };

  beforeEach(async () => {
    folder = mkdtempSync(join(tmpdir(), 'amber-slips-'));
    service = startAmber(['run', '--', 'php', '-S', '127.0.0.1:0', '-t', 'public'], {
      cwd: SLIPS,
      env: { SLIPS_FOLDER: folder },
    });
    const shown = await service.shows(/Development Server \(http:[^)]+\) started/);
    url = /\((http:[^)]+)\)/.exec(shown)?.[1] ?? '';
  });
  afterEach(async () => {
    service.child.kill('SIGTERM');
    await service.ended;
    rmSync(folder, { recursive: true, force: true });
  });

  it('finds why a motorcycle weighs nothing, with the request and the answer so far', async () => {
    expect((await make({ booking: '1', name: 'Lars Vik', vehicle: 'motorcycle' })).total).toBe(92);
    const amber = startAmber(['attach', 'php'], { cwd: SLIPS });
    const place = `handlers.php:${lineOf('handlers.php', '$slip->add($vehicle')}`;
    amber.type(`break ${place} when weightOf($vehicle) === 0\n`);
    amber.type(`send POST ${url}/slips booking=2&name=Lars+Vik&vehicle=motorcycle\nwait 60\n`);
    await amber.shows(/● mark 1 · handlers\.php:\d+ in Skerrow\\Slips\\makeSlip · POST \/slips · slips/);
    amber.type(
      'vars request\nresponse\n= weightOf("car")\n= fgetcsv(fopen("../data/weights.csv", "r"))\nstack\n',
    );
    amber.type('assign $vehicle = "car"\nresume\nwait response 60\nmarks\ndetach\n');
    const { stdout, code } = await amber.ended;
    expect(code).toBe(0);
    expect(stdout).toMatch(/\$_POST +\['booking' => '2', 'name' => 'Lars Vik', 'vehicle' => 'motorcycle'\]/);
    expect(stdout).toMatch(/response so far: 200 {2}nothing has gone out yet/);
    expect(stdout).toMatch(/1480 {2}int/);
    expect(stdout).toMatch(/▸ {2}0 {2}Skerrow\\Slips\\makeSlip[\s\S]*{main}/);
    expect(stdout).toContain('"total": 1572');
    expect(stdout).toMatch(/1 +break +on +spliced +1 +handlers\.php:\d+/);
    expect((await make({ booking: '3', name: 'Ada', vehicle: 'motorcycle' })).total).toBe(92);
  });

  it('finds the name that is cut within a letter', async () => {
    const { id } = await make({ booking: '4', name: 'Ingebjørg Lids-Sæther' });
    const page = await (await fetch(`${url}/slips/${id}`, { headers: { Connection: 'close' } })).text();
    expect(page).toContain('<b></b>');
    const line = lineOf('pages.php', 'return htmlspecialchars');
    const log = `pages.php:${line} "{bin2hex(substr($short, -2))} of {$text}" when htmlspecialchars($short, ENT_QUOTES) === ''`;
    const amber = startAmber(
      ['trace', 'php', '--log', log, '--until-hit', '1', '--trail', join(folder, 't.ndjson')],
      {
        cwd: SLIPS,
      },
    );
    await amber.shows('attached');
    while (
      !existsSync(join(folder, 't.ndjson')) ||
      !/"kind":"hit"/.test(readFileSync(join(folder, 't.ndjson'), 'utf8'))
    ) {
      await (await fetch(`${url}/slips/${id}`, { headers: { Connection: 'close' } })).text();
    }
    await amber.ended;
    const trail = readFileSync(join(folder, 't.ndjson'), 'utf8');
    expect(trail).toContain('53c3 of Ingebjørg Lids-Sæther');
    expect(trail).toContain(`"path":"/slips/${id}"`);
    const report = await runAmber(['report', join(folder, 't.ndjson')], { cwd: SLIPS });
    expect(report.stdout).toContain(`GET /slips/${id}`);
  });

  it('lists and names the target, and says why another one cannot be', async () => {
    const { stdout } = await runAmber(['targets', '--json']);
    const [record] = recordsOf(stdout);
    const targets = record?.kind === 'targets' ? record.targets : [];
    // A php-fpm that is started without the agent, as another test does, tells nobody that it is.
    const free = targets.filter((each) => each.runtime === 'php' && each.state === 'free' && each.prepared);
    expect(free.map(({ name }) => name)).toEqual(['slips']);
    const bare = startAmber(['adapter', 'php']);
    bare.child.stdin?.end();
    expect((await bare.ended).code).toBe(0);
  });
});

describePhp('scripts of PHP', ['cli'], () => {
  const runFolder = useRunFolder();
  const SCRIPT = `#!/usr/bin/env php
<?php
function square(int $n): int
{
    return $n * $n;
}
$sum = square(2) + square(3);
echo "sum $sum $argc\\n";
fwrite(STDERR, "told\\n");
exit(5);
`;

  it('are launched before their first line, with their own exit code and output', async () => {
    const folder = makeFolder({
      'job.php': SCRIPT,
      commands: 'stack\nbreak square when $n === 3\nresume\nwait 60\n= $n\nresume\n',
    });
    const amber = startAmber(['launch', '--commands', 'commands', '--', 'php', 'job.php', 'one'], {
      cwd: folder,
    });
    const { stdout, stderr, code } = await amber.ended;
    expect(stdout).toMatch(/● entry · job\.php:7 in {main}|● before the first line|job\.php:7 in {main}/);
    expect(stdout).toMatch(/● mark 1 · job\.php:5 in square/);
    expect(stdout).toMatch(/3 {2}int/);
    expect(stdout).toContain('sum 13 2');
    expect(stderr).toContain('told');
    expect(code).toBe(5);
    expect(readdirSync(runFolder()).filter((name) => name !== 'php-cache')).toEqual([]);
  });

  it('can be attached to while they run, when amber run has started them', async () => {
    const folder = makeFolder({
      'loop.php': `<?php
function turn(int $n): int
{
    $twice = $n * 2;
    return $twice;
}
for ($i = 0; !is_file(__DIR__ . '/end'); $i++) {
    $last = turn($i);
    usleep(200);
}
echo "ended\\n";
exit(3);
`,
    });
    const script = startAmber(['run', '--', 'php', 'loop.php'], { cwd: folder });
    while (!readdirSync(runFolder()).some((name) => /^\d+\.json$/.test(name))) {
      await new Promise((done) => setTimeout(done, 10));
    }
    for (let turn = 0; turn < 2; turn += 1) {
      const amber = startAmber(['attach', 'php'], { cwd: folder });
      amber.type(
        'pause\nwait 60\nbreak loop.php:5 when $n % 10 === 0\nresume\nwait 60\n= $twice === $n * 2\nmarks\ndetach\n',
      );
      const { stdout, code } = await amber.ended;
      expect(stdout).toMatch(/● paused · loop\.php:\d+/);
      expect(stdout).toMatch(/● mark 1 · loop\.php:5 in turn/);
      expect(stdout).toMatch(/true {2}bool/);
      expect(stdout).toMatch(/1 +break +on +engine +1/);
      expect(code).toBe(0);
    }
    writeFileSync(join(folder, 'end'), '');
    expect(await script.ended).toMatchObject({ stdout: 'ended\n', stderr: '', code: 3 });
    expect(readdirSync(runFolder()).filter((name) => name !== 'php-cache')).toEqual([]);
  });
});
