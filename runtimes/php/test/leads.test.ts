import { readFileSync, renameSync, rmSync, symlinkSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Mark } from '../../../src/core/marks/store.js';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { attachToPhp, describePhp, PhpFpm } from '../../../test/support/php.js';
import { until } from '../../../test/support/until.js';

const FILES = {
  'index.php': `<?php
require __DIR__ . '/group.php';
require_once(__DIR__ . '/tables.php');
require_once 'tables.php';
$name = $_GET['page'] ?? 'fares';
if ($name === 'odd') {
    echo (require 'odd.php'), "\\n";
} elseif ($name === 'again') {
    include __DIR__ . '/again.php';
} else {
    require __DIR__ . "/pages/$name.php";
}
echo json_encode([
    'opcache' => ini_get('opcache.enable'),
    'files' => array_values(array_map('basename', array_filter(get_included_files(), fn($file) => str_starts_with($file, __DIR__)))),
    'wrappers' => in_array('amber-lantern', stream_get_wrappers(), true),
]);
`,
  'group.php': "<?php\nrequire_once __DIR__ . '/parts/one.php';\nrequire_once __DIR__ . '/parts/two.php';\n",
  'parts/one.php': '<?php\nfunction one(int $number): int\n{\n    return $number + 1;\n}\n',
  'parts/two.php': '<?php\nfunction two(int $number): int\n{\n    return one($number) * 2;\n}\n',
  'tables.php': '<?php\nfunction fare(int $miles): int\n{\n    $fare = two($miles);\n    return $fare;\n}\n',
  'pages/fares.php':
    '<?php\n$all = fare(3);\necho $all, " ", basename(__FILE__), " ", __LINE__, " ", basename(__DIR__), "\\n";\n',
  'odd.php': '<?php\n$odd = fare(1) + 1;\nreturn $odd;\n',
  'again.php': '<?php\necho "again ", fare(2), "\\n";\n',
};

describePhp('php-fpm with opcache and marks in some files', ['fpm'], () => {
  const runFolder = useRunFolder();
  let fpm: PhpFpm;
  let attached: Attached;

  beforeAll(async () => {
    const pool = [
      'php_admin_flag[display_errors] = on',
      'php_admin_value[opcache.enable] = 1',
      'php_admin_value[opcache.revalidate_freq] = 0',
    ];
    fpm = await PhpFpm.start(FILES, 2, [], {
      pool: [...pool, 'php_admin_value[opcache.file_update_protection] = 0'],
    });
  });

  afterEach(async () => {
    await attached.session.detach();
  });

  afterAll(async () => {
    await fpm.end();
  });

  const count = async (file: string, line: number): Promise<Mark> => {
    const path = fpm.path(file);
    const mark = attached.store.add({ place: { kind: 'line', file: path, line } }, path, 'count');
    await attached.sync.send(mark);
    return mark;
  };
  const hits = async (mark: Mark) => {
    await attached.sync.refresh();
    return attached.sync.status(mark).hits;
  };
  const get = async (page = 'fares') => {
    const text = await fpm.get(`/?page=${page}`);
    const [said, state] = text.split('\n');
    if (!state?.startsWith('{')) {
      throw new Error(text);
    }
    return { said, ...(JSON.parse(state ?? '') as { opcache: string; files: string[]; wrappers: boolean }) };
  };

  it('has the answers of one that nobody looks at, and everything under its own name', async () => {
    const bare = await get();
    expect(bare).toMatchObject({ said: '8 fares.php 3 pages', opcache: '1', wrappers: false });
    attached = await attachToPhp(runFolder(), fpm.pid);
    expect(await get()).toEqual(bare);
    const marks = [
      await count('parts/one.php', 4),
      await count('pages/fares.php', 3),
      await count('tables.php', 4),
    ];
    for (let request = 1; request <= 3; request += 1) {
      expect(await get()).toEqual(bare);
      expect(await Promise.all(marks.map(hits))).toEqual([request, request, request]);
    }
  });

  it('opens only what leads to a mark by itself', async () => {
    await fpm.get();
    attached = await attachToPhp(runFolder(), fpm.pid);
    const mark = await count('pages/fares.php', 3);
    const cached = `cached.php`;
    writeFileSync(
      fpm.path(cached),
      '<?php\n$kept = array_map("basename", array_keys(opcache_get_status()["scripts"]));\nsort($kept);\necho json_encode($kept);\n',
    );
    await get();
    await get();
    // What is marked, and what leads there, does not go where the code of others is kept; all else does.
    const kept = JSON.parse(await fpm.get('/', cached)) as string[];
    expect(kept).toEqual(expect.arrayContaining(['one.php', 'two.php', 'group.php', 'tables.php']));
    expect(await hits(mark)).toBe(2);
    await attached.session.detach();
    expect((await get()).said).toBe('8 fares.php 3 pages');
    attached = await attachToPhp(runFolder(), fpm.pid);
    expect((await get()).said).toBe('8 fares.php 3 pages');
  });

  it('leads nowhere any more once every marked file is there and cannot come again', async () => {
    // `boats.php` can include anything, and comes once before and once after what is marked.
    writeFileSync(fpm.path('rates.php'), '<?php\nfunction rate(int $n): int\n{\n    return $n * 3;\n}\n');
    writeFileSync(fpm.path('label.php'), '<?php\necho "label ", rate(2), "\\n";\n');
    writeFileSync(fpm.path('boats.php'), '<?php\ninclude $next;\n');
    writeFileSync(
      fpm.path('order.php'),
      `<?php
$next = __DIR__ . '/tables.php';
if ($_GET['page'] === 'before') {
    include __DIR__ . '/boats.php';
}
$next = __DIR__ . '/rates.php';
require_once __DIR__ . '/rates.php';
$next = __DIR__ . '/label.php';
include __DIR__ . '/boats.php';
include __DIR__ . '/boats.php';
echo json_encode(array_map('basename', array_keys(opcache_get_status()['scripts'])));
`,
    );
    const cached = async (page: string) => {
      const text = await fpm.get(`/?page=${page}`, 'order.php');
      expect(text).toContain('label 6\nlabel 6\n');
      return JSON.parse(text.slice(text.indexOf('['))) as string[];
    };
    attached = await attachToPhp(runFolder(), fpm.pid);
    const rate = await count('rates.php', 4);
    for (let request = 1; request <= 2; request += 1) {
      // What is met for the first time is written down.
      await cached('before');
      expect(await hits(rate)).toBe(request * 2);
    }
    expect(await cached('after')).toEqual(expect.arrayContaining(['boats.php', 'label.php']));
    expect(await hits(rate)).toBe(6);
    // One that can come again is led to for as long as it does.
    const label = await count('label.php', 2);
    await cached('after');
    await cached('before');
    expect(await Promise.all([rate, label].map(hits))).toEqual([10, 4]);
  });

  it('opens only what leads to a function that is marked by its name', async () => {
    const twice = 'function twice(int $n): int\n{\n    return $n * 2;\n}\n';
    writeFileSync(fpm.path('parts/three.php'), `<?php\n${twice}`);
    writeFileSync(fpm.path('plain.php'), '<?php\nfunction plain(): int\n{\n    return 7;\n}\n');
    writeFileSync(
      fpm.path('calls.php'),
      "<?php\nrequire __DIR__ . '/plain.php';\nrequire __DIR__ . '/parts/three.php';\necho plain() + twice(3);\n",
    );
    attached = await attachToPhp(runFolder(), fpm.pid);
    const mark = attached.store.add({ place: { kind: 'function', name: 'twice' } }, undefined, 'count');
    await attached.sync.send(mark);
    for (let request = 1; request <= 3; request += 1) {
      expect(await fpm.get('/', 'calls.php')).toBe('13');
      expect(await hits(mark)).toBe(request);
    }
    writeFileSync(
      fpm.path('kept.php'),
      '<?php\necho json_encode(array_map("basename", array_keys(opcache_get_status()["scripts"])));\n',
    );
    const kept = JSON.parse(await fpm.get('/', 'kept.php')) as string[];
    expect(kept).toContain('plain.php');
    expect(kept).not.toContain('three.php');
    // A file that has the function only since now is met too.
    writeFileSync(
      fpm.path('plain.new'),
      '<?php\nfunction plain(): int\n{\n    return Boat::twice(3);\n}\nfinal class Boat\n{\n    public static function twice(int $n): int\n    {\n        return $n;\n    }\n}\n',
    );
    renameSync(fpm.path('plain.new'), fpm.path('plain.php'));
    await until(async () => {
      const before = await hits(mark);
      expect(await fpm.get('/', 'calls.php')).toMatch(/^(?:13|9)$/);
      return (await hits(mark)) === before + 2;
    });
  });

  it('passes a mark by function in a file that nobody has met before', async () => {
    writeFileSync(fpm.path('tides.php'), '<?php\nfunction tide(int $n): int\n{\n    return $n + 5;\n}\n');
    writeFileSync(
      fpm.path('harbour.php'),
      `<?php
if ($_GET['page'] === 'tide') {
    require_once __DIR__ . '/tides.php';
    echo tide(2);
} else {
    echo 'none';
}
`,
    );
    attached = await attachToPhp(runFolder(), fpm.pid);
    const mark = attached.store.add({ place: { kind: 'function', name: 'tide' } }, undefined, 'count');
    await attached.sync.send(mark);
    for (let request = 0; request < 3; request += 1) {
      expect(await fpm.get('/?page=none', 'harbour.php')).toBe('none');
    }
    expect(await fpm.get('/?page=tide', 'harbour.php')).toBe('7');
    expect(await hits(mark)).toBe(1);
  });

  it('does not take a mark of other requests for one that was passed by', async () => {
    attached = await attachToPhp(runFolder(), fpm.pid);
    const path = fpm.path('pages/fares.php');
    const place = { kind: 'line' as const, file: path, line: 3 };
    const others = { only: { method: 'POST', path: '/none' } };
    await attached.sync.send(attached.store.add({ place, ...others }, path, 'count'));
    await count('odd.php', 2);
    // What is met for the first time is opened by us anyway.
    for (let request = 0; request < 4; request += 1) {
      expect([(await get()).said, (await get('odd')).said]).toEqual(['8 fares.php 3 pages', '5']);
    }
    const list = readFileSync(join(runFolder(), 'php-cache', 'includes'), 'utf8');
    expect(list).toContain('index.php');
    expect(list).not.toContain('Leads.php');
  });

  it('passes a mark in a file that another one begins to include', async () => {
    attached = await attachToPhp(runFolder(), fpm.pid);
    writeFileSync(fpm.path('late.php'), '<?php\n$late = 1;\n');
    const mark = await count('late.php', 2);
    await get();
    await get();
    expect(await hits(mark)).toBe(0);
    writeFileSync(
      fpm.path('parts/two.new'),
      `${FILES['parts/two.php']}require_once __DIR__ . '/../late.php';\n`,
    );
    renameSync(fpm.path('parts/two.new'), fpm.path('parts/two.php'));
    // That a file is another is seen within two seconds.
    await until(async () => {
      await get();
      return (await hits(mark)) > 0;
    });
    const before = await hits(mark);
    expect((await get()).files).toContain('late.php');
    expect(await hits(mark)).toBe(before + 1);
  });

  it('comes to pass marks in a file that is included under another name', async () => {
    rmSync(fpm.path('odd.php'));
    writeFileSync(fpm.path('even.php'), FILES['odd.php']);
    symlinkSync(fpm.path('even.php'), fpm.path('odd.php'));
    utimesSync(fpm.path('index.php'), new Date(), new Date());
    attached = await attachToPhp(runFolder(), fpm.pid);
    const mark = await count('even.php', 2);
    await until(async () => {
      expect((await get('odd')).said).toBe('5');
      return (await hits(mark)) > 0;
    });
    const before = await hits(mark);
    await get('odd');
    expect(await hits(mark)).toBe(before + 1);
  });
});
