import fc from 'fast-check';
import { prependedBy, stubText, withOurs, withoutOurs } from '../fpm/user-ini.js';

const STUB = '/srv/slips/public/.amber-0.php';

describe('the lines of a .user.ini', () => {
  it('come last before any section, and go without a trace', () => {
    expect(withOurs('', STUB)).toMatch(/^; Amber.*\nauto_prepend_file = "\/srv\/.*"\n; end.*\n$/);
    const text = 'memory_limit = 64M\n[PATH=/srv/slips]\ndisplay_errors = 1\n';
    expect(withOurs(text, STUB)).toMatch(/^memory_limit = 64M\n; Amber[\s\S]*\n\[PATH=/);
    expect(withoutOurs(withOurs(text, STUB))).toBe(text);
    expect(withoutOurs(withOurs('', STUB))).toBeUndefined();
  });

  it('leave what others have written in the meantime', () => {
    const edited = withOurs('a = 1\n', STUB).replace('a = 1', 'a = 2');
    expect(withoutOurs(`${edited}b = 3\n`)).toBe('a = 2\nb = 3\n');
  });

  it('are there once, whatever was in the file', () => {
    const line = fc.constantFrom('a = 1', '[PATH=/x]', 'auto_prepend_file = "b.php"', '; note', '');
    fc.assert(
      fc.property(fc.array(line), fc.boolean(), (lines, ends) => {
        const text = lines.join('\n') + (ends ? '\n' : '');
        const once = withOurs(text, STUB);
        expect(withOurs(once, STUB).trim()).toBe(once.trim());
        expect(once.split(STUB)).toHaveLength(2);
        const back = withoutOurs(once) ?? '';
        expect(back.trim()).toBe(text.trim());
      }),
    );
  });

  it.each([
    ['auto_prepend_file = "first.php"', 'first.php'],
    ["a = 1\nauto_prepend_file='first.php'", 'first.php'],
    ['auto_prepend_file = /srv/first.php ; why', '/srv/first.php'],
    ['; auto_prepend_file = "first.php"', undefined],
    ['[PATH=/x]\nauto_prepend_file = "first.php"', undefined],
    [withOurs('', STUB), undefined],
  ])('%j puts before every script: %s', (text, file) => {
    expect(prependedBy(text)).toBe(file);
  });

  it('name a script that quotes what could end a text of PHP', () => {
    const text = stubText({ boot: "/o'b", plans: '/r\\', isNamed: false, ini: '/i', prepended: undefined });
    expect(text).toContain("'/o\\'b/lent.php'");
    expect(text).toContain("'/r\\\\'");
  });
});
