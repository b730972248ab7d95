import { execFile } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { promisify } from 'node:util';
import { phpHas } from '../support/php.js';
import { pythonWith } from '../support/python.js';
import { rubyHas } from '../support/ruby.js';

const ROOT = resolve(__dirname, '..', '..');
/** A row of the bench, whether its server is here, and for Python with which interpreter. */
const SERVERS: [string, () => boolean, string?][] = [
  ['Flask, its own server', () => pythonWith('flask') !== undefined, pythonWith('flask')],
  ['WSGI, gunicorn, 2 workers', () => pythonWith('gunicorn') !== undefined, pythonWith('gunicorn')],
  ['ASGI, hypercorn', () => pythonWith('hypercorn') !== undefined, pythonWith('hypercorn')],
  ['Sinatra, puma, 2 workers', () => rubyHas('sinatra/base', 'puma')],
  ['Node, node --watch', () => true],
  ['PHP, its own server, 4 workers', () => phpHas('cli')],
];

/** A core of bench/frameworks: it ends with 1 where anything was wrong, from the mark to killing amber in a stop. */
describe.each(SERVERS)('%s', (name, isHere, python) => {
  (isHere() ? it : it.skip)('has its marks, requests, stops and steps, and is as before', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'amber-frameworks-'));
    try {
      const args = ['bench/frameworks/run.mjs', name, '--brief'];
      const env = {
        ...process.env,
        AMBER_FRAMEWORKS: folder,
        ...(python ? { AMBER_PYTHON: python } : {}),
      };
      const { stdout } = await promisify(execFile)(process.execPath, args, { cwd: ROOT, env });
      expect(stdout.match(/✓/g)?.length).toBeGreaterThanOrEqual(8);
      expect(stdout).toContain('✓ 200');
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });
});
