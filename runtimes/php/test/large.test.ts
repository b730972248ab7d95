import { z } from 'zod';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { attachToPhp, describePhp, PhpServer } from '../../../test/support/php.js';
import { endPrograms } from '../../../test/support/program.js';
import { until } from '../../../test/support/until.js';

/** Pages of the office's handbook: enough of them that points for steps everywhere are too much. */
const PAGES = 80;
const page = (number: number) => `<?php
function page${number}(int $at): int
{
    $lines = $at + ${number};
${Array.from({ length: 120 }, (_, line) => `    $lines += ${line} % 7 + $at;`).join('\n')}
    return $lines;
}
`;
const FILES = {
  'index.php': `<?php
require_once __DIR__ . '/fares.php';
for ($number = 0; $number < ${PAGES}; $number++) {
    require_once __DIR__ . "/pages/$number.php";
}
$at = (int) ($_GET['at'] ?? 0);
$fare = fare($at);
echo $fare, ' ', page1($at);
`,
  'fares.php': `<?php
function fare(int $at): int
{
    $lines = page1($at);
    $fare = $lines % 10;
    return $fare;
}
`,
  ...Object.fromEntries(Array.from({ length: PAGES }, (_, number) => [`pages/${number}.php`, page(number)])),
};

describePhp('a large program', ['cli'], () => {
  const runFolder = useRunFolder();
  let server: PhpServer;
  let attached: Attached;
  const told: string[] = [];
  beforeEach(async () => {
    server = await PhpServer.start(FILES, { env: { PHP_CLI_SERVER_WORKERS: '' } });
    attached = await attachToPhp(runFolder(), server.pid);
    told.length = 0;
    attached.session.on('output', ({ text }) => told.push(text));
  });
  afterEach(async () => {
    await attached.session.detach();
    await endPrograms();
  });

  /** A breakpoint, after a request has found how much there is. */
  async function breakAtFare(condition: string): Promise<string> {
    const bare = await server.get('/?at=3');
    await attached.mark(server.path('fares.php'), 4, condition);
    expect(await server.get('/?at=3')).toBe(bare);
    await until(() => told.join('').includes('this program is large'));
    expect(await server.get('/?at=3')).toBe(bare);
    return bare;
  }

  it('has points for steps where marks are, and all of them in requests like those that have stopped', async () => {
    const bare = await breakAtFare('$at === 4');
    const first = server.get('/?at=4');
    const near = await attached.stop();
    expect(await whereIs(near)).toBe('fare:4');
    await until(() => told.join('').includes('the next GET / has them everywhere'));
    // What page1 does is passed over: its file was included before anything had stopped.
    await near.step('into');
    const next = await attached.stop();
    expect(await whereIs(next)).toBe('fare:5');
    await next.resume();
    const answer = await first;

    const second = server.get('/?at=4');
    const full = await attached.stop();
    await full.step('into');
    const inside = await attached.stop();
    expect(await whereIs(inside)).toBe('page1:4');
    await inside.step('out');
    const back = await attached.stop();
    expect(await whereIs(back)).toBe('fare:5');
    await back.resume();
    expect(await second).toBe(answer);
    expect(await server.get('/?at=3')).toBe(bare);
    expect(told.join('').split('this program is large')).toHaveLength(2);
  });

  it('stops at the first line of a request that is asked for, and when it is told to pause', async () => {
    await breakAtFare('$at === 4');
    await attached.session.client.request('pause', { threadId: 0 }, z.unknown());
    const first = server.get('/');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toMatch(/:2$/);
    await stop.resume();
    await first;
  });
});
