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
    $found[$source] = [$outline->endings, $outline->declares && !$outline->leaves];
}
echo json_encode($found);
`;

/** What can be included by each, with a slash before whole names; '' stands for anything. */
const ENDINGS: Record<string, string[]> = {
  "require 'tables.php'": ['/tables.php'],
  "require('tables.php')": ['/tables.php'],
  "include_once((__DIR__ . '/tables.php'))": ['/tables.php'],
  "require ABSPATH . 'inc' . '/fares/tables.php'": ['/tables.php'],
  'require $folder . "tables.php"': ['tables.php'],
  "require $this->folder . '/tables.php'": ['/tables.php'],
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
  "require 'one.php'; include 'fares/two.php'": ['/one.php', '/two.php'],
};

/** Whether each would end the program if it were included once more. */
const LASTING: Record<string, boolean> = {
  'function fare() { return 1; }': true,
  'namespace Ferry; class Boat { public function f() { return 2; } }': true,
  'namespace Ferry { final class Boat {} }': true,
  '#[Attribute] abstract class Boat extends Ship {}': true,
  'interface Fare {} $x = 1': true,
  '$f = function () { return 1; }; trait Fares {}': true,
  "require 'one.php'; $x = fn() => 1": false,
  'if (!function_exists("fare")) { function fare() {} }': false,
  'if ($x): function fare() {} endif': false,
  'if ($x) { } else { class Boat {} }': false,
  'while (false) { class Boat {} }': false,
  'function outer() { function inner() {} } ': true,
  '$boat = new class { function fare() { return 1; } }': false,
  'if (class_exists("Boat")) { return; } class Boat extends Ship {}': false,
  'if ($x) return 7; function fare() {}': false,
  'goto end; class Boat extends Ship {} end: $x = 1': false,
};

function outlines(sources: readonly string[]): Record<string, [string[], boolean]> {
  const folder = join(agentFolder('php'), 'amber_agent');
  const input = JSON.stringify(sources);
  const { stdout, stderr } = spawnSync('php', ['-r', SCRIPT, folder], { encoding: 'utf8', input });
  expect(stderr).toBe('');
  return JSON.parse(stdout);
}

describePhp('what an include can lead to', ['cli'], () => {
  it('is seen from the text that it ends with, and from nothing else', () => {
    const found = outlines(Object.keys(ENDINGS));
    expect(Object.fromEntries(Object.entries(found).map(([source, [ends]]) => [source, ends]))).toEqual(
      ENDINGS,
    );
  });

  it('is nothing any more once it is there and cannot come again', () => {
    const found = outlines(Object.keys(LASTING));
    expect(Object.fromEntries(Object.entries(found).map(([source, [, lasts]]) => [source, lasts]))).toEqual(
      LASTING,
    );
  });
});
