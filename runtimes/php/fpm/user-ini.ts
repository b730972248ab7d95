/**
 * What is written for a php-fpm that was started without the agent: lines in the `.user.ini` of its document root, which
 * PHP reads anew now and then (PHP's manual, ".user.ini files"), and the script that they put before every other one.
 * Only texts here; lend.ts writes them.
 */

const FIRST = '; Amber Lantern is attached: these lines go when it leaves.\n';
const LAST = '; end of what is Amber Lantern’s\n';
const PREPENDED = /^[ \t]*auto_prepend_file[ \t]*=[ \t]*(?:"([^"\n]*)"|'([^'\n]*)'|([^\s;]*))/m;

/** The lines that a file has, without ours; undefined where nothing but ours was in it. */
export function withoutOurs(text: string): string | undefined {
  const begin = text.indexOf(FIRST);
  const end = text.indexOf(LAST);
  if (begin < 0 || end < begin) {
    return text;
  }
  const rest = text.slice(0, begin) + text.slice(end + LAST.length);
  return rest.trim() === '' ? undefined : rest;
}

/** The same with ours, which are the last before any section (`[PATH=…]`), so that they hold for every script. */
export function withOurs(text: string, stub: string): string {
  const rest = withoutOurs(text) ?? '';
  const ours = `${FIRST}auto_prepend_file = "${stub}"\n${LAST}`;
  const section = /^[ \t]*\[/m.exec(rest)?.index ?? rest.length;
  const before = rest.slice(0, section);
  const gap = before === '' || before.endsWith('\n') ? '' : '\n';
  return before + gap + ours + rest.slice(section);
}

/** What a file puts before every script itself; undefined where it puts nothing. */
export function prependedBy(text: string): string | undefined {
  const section = /^[ \t]*\[/m.exec(text)?.index ?? text.length;
  const [, double, single, bare] = PREPENDED.exec((withoutOurs(text) ?? '').slice(0, section)) ?? [];
  return double ?? single ?? bare;
}

export interface Stub {
  /** The agent's `boot` folder. */
  boot: string;
  /** The folder of plans, and whether AMBER_RUN_DIR names the one around it. */
  plans: string;
  isNamed: boolean;
  /** The `.user.ini` that names the stub. */
  ini: string;
  /** What the `.user.ini` puts before every script itself. */
  prepended: string | undefined;
}

/**
 * The script that stands before every other one. It is there only as long as a worker may still have read that it is; it
 * does nothing where nobody is attached, or our files cannot be read, and then serves the request as it would be without.
 * It has no variables, since the script would see them.
 */
export function stubText({ boot, plans, isNamed, ini, prepended }: Stub): string {
  const lent = literal(`${boot}/lent.php`);
  const left = literal(`${boot}/left.php`);
  // What php.ini puts there gives way to any `.user.ini`, and so has to be run from here too.
  const own = prepended === undefined ? "\\get_cfg_var('auto_prepend_file')" : literal(prepended);
  return `<?php
// Amber Lantern: somebody is attached to this php-fpm, or was a moment ago. This file goes by itself.
if (@\\is_dir(${literal(plans)}) && @\\is_file(${lent}) && \\getenv('AMBER_OFF') === false && (require ${lent})(${literal(plans)}, ${isNamed}, __FILE__)) {
    if (${own}) {
        \\AmberLantern\\Files::after(require \\AmberLantern\\Files::before(${own}));
    }
    if (\\AmberLantern\\Start::$includes) {
        \\AmberLantern\\Files::after(require \\AmberLantern\\Files::before(\\AmberLantern\\Start::$script));
        if (\\ini_get('auto_append_file')) {
            \\AmberLantern\\Files::after(require \\AmberLantern\\Files::before(\\ini_get('auto_append_file')));
        }
        exit;
    }
} else {
    if (!@\\is_dir(${literal(plans)}) && @\\is_writable(${literal(ini)}) && @\\is_file(${left})) {
        (require ${left})(${literal(ini)}, ${literal(FIRST)}, ${literal(LAST)}, __FILE__);
    }
    if (${own}) {
        require ${own};
    }
}
`;
}

/** A text as PHP writes it between single quotes. */
function literal(text: string): string {
  return `'${text.replaceAll('\\', '\\\\').replaceAll("'", "\\'")}'`;
}
