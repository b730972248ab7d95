import { useRunFolder } from '../support/attached.js';
import { HitCollector } from '../support/hits.js';
import { attachToPhp, describePhp, PhpServer } from '../support/php.js';
import { endPrograms } from '../support/program.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const DESK = `<?php
session_start();
$_SESSION['desk'] = 'four';
$read = file_get_contents('php://input');
$told = 'stamped';
echo $told;
`;

describePhp('what has been read of a request, in PHP', ['cli'], () => {
  it('is there in the expressions of marks, and the program reads the same', async () => {
    const server = await PhpServer.start({ 'index.php': DESK });
    const attached = await attachToPhp(runFolder(), server.pid);
    const collector = new HitCollector(attached);
    const at = server.lineOf('$told =');
    await collector.set(
      'log',
      `index.php:${at} "{$request->form['quay'] ?? '-'} {$request->files['slip']['name'] ?? '-'} {$request->session['desk']} {$request->body['boat'] ?? '-'} {strlen($read)}"`,
      server.path(),
    );
    const post = (body: RequestInit['body'], headers = {}) =>
      server.get('/', { method: 'POST', body: body ?? null, headers });
    expect(await post(new URLSearchParams('quay=east'))).toBe('stamped');
    const files = new FormData();
    files.set('slip', new Blob(['x']), 'slip.txt');
    expect(await post(files)).toBe('stamped');
    expect(await post('{"boat": 4}', { 'content-type': 'application/json' })).toBe('stamped');
    const texts = (await collector.until(3)).map(({ text, error }) => text ?? error);
    expect(texts[0]).toBe('east - four - 9');
    expect(texts[1]).toBe('- slip.txt four - 0');
    expect(texts[2]).toBe('- - four 4 11');
    await attached.session.detach();
  });
});
