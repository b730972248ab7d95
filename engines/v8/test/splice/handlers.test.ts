import { Handlers } from '../../splice/handlers.js';

/** Whether an error at `¦` ends in its function. */
function holds(marked: string): boolean {
  const offset = marked.indexOf('¦');
  return new Handlers(marked.replace('¦', '')).holds(offset);
}

describe('an error is caught in the function that it is in', () => {
  it.each([
    ['in a block that is guarded', 'function f() { try { ¦g(); } catch { h(); } }'],
    ['in a block inside of that', 'function f() { try { if (x) { for (;;) ¦g(); } } catch { h(); } }'],
    ['in an async function that guards it', 'async function f() { try { await ¦g(); } catch {} }'],
    ['at the top of a file that guards it', 'try { ¦g(); } catch {}'],
    ['in a method', 'class A { b() { try { return ¦g(); } catch (error) { log(error); } } }'],
  ])('%s', (_name, source) => expect(holds(source)).toBe(true));

  it.each([
    ['where nothing guards it', 'function f() { ¦g(); }'],
    ['in the handler itself', 'function f() { try { g(); } catch { ¦h(); } }'],
    ['in a block that only tidies up', 'function f() { try { ¦g(); } finally { h(); } }'],
    ['where its caller is what guards', 'function f() { try { return () => { ¦g(); }; } catch {} }'],
    ['inside of an async function, in one that is not', 'async function f() { list.map(() => { ¦g(); }); }'],
    ['in an async function, whose promise whoever awaits it has', 'async function f() { ¦g(); }'],
    ['in a generator', 'function* f() { yield ¦g(); }'],
  ])('but not %s', (_name, source) => expect(holds(source)).toBe(false));

  it('in code of modules that Node compiles as a function', () => {
    expect(holds("'use strict'; const a = require('b'); if (!a) return; try { ¦a(); } catch {}")).toBe(true);
  });

  it('and what is no JavaScript is refused', () => {
    expect(() => new Handlers('function (')).toThrow('cannot be read');
  });
});
