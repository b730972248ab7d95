import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { describePhp } from '../../../test/support/php.js';

/** Reads sources from its input, a JSON list, and tells how the names end of what each includes. */
const SCRIPT = `
foreach (['Outline', 'Cursor', 'Expressions', 'Declarations', 'Rewriter'] as $name) {
    require "$argv[1]/$name.php";
}
$found = [];
foreach (json_decode(stream_get_contents(STDIN)) as $source) {
    $outline = AmberLantern\\Rewriter::outline("<?php\\n$source;");
    $found[$source] = $outline->endings;
}
echo json_encode($found);
`;

/** What can be included by each; '' stands for anything. */
const ENDINGS: Record<string, string[]> = {
  "require 'tables.php'": ['tables.php'],
  "require('tables.php')": ['tables.php'],
  "include_once((__DIR__ . '/tables.php'))": ['tables.php'],
  "require ABSPATH . 'inc' . '/fares/tables.php'": ['tables.php'],
  'require $folder . "tables.php"': ['tables.php'],
  "require $this->folder . '/tables.php'": ['tables.php'],
  // The name may have any beginning.
  "require $page . '.php'": ['.php'],
  "require $page . '/'": [''],
  'require $page': [''],
  'require "$folder/tables.php"': [''],
  "require $old ? 'one.php' : 'two.php'": [''],
  "require $page ?? 'two.php'": [''],
  "require ($old ? 'one.php' : 'x') . '/two.php'": [''],
  "require path('two.php')": [''],
  "require $pages['two.php']": [''],
  "require $page = 'two.php'": [''],
  "require 'a' . ('b.php')": [''],
  "require 'two' . PHP_EXT": [''],
  // An escape is something else than it looks like.
  'require "\\x74wo.php"': [''],
  "require 'one.php'; include 'fares/two.php'": ['one.php', 'two.php'],
};

describePhp('what an include can lead to', ['cli'], () => {
  it('is seen from the text that it ends with, and from nothing else', () => {
    const input = JSON.stringify(Object.keys(ENDINGS));
    const folder = join(agentFolder('php'), 'amber_agent');
    const { stdout, stderr } = spawnSync('php', ['-r', SCRIPT, folder], { encoding: 'utf8', input });
    expect(stderr).toBe('');
    expect(JSON.parse(stdout)).toEqual(ENDINGS);
  });
});
