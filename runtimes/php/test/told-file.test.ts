import {
  appendFileSync,
  closeSync,
  existsSync,
  mkdtempSync,
  openSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ToldFile } from '../adapter/told-file.js';

const folder = mkdtempSync(join(tmpdir(), 'amber-told-'));
const shared: string[] = [];
let count = 0;
function begin() {
  count += 1;
  const path = join(folder, `told-${count}`);
  return { path, file: new ToldFile(path, (each) => shared.push(each)) };
}

afterAll(() => rmSync(folder, { recursive: true }));

describe('the file of what ended requests have told', () => {
  it('gives each line once, and is shared with those who write', () => {
    const { path, file } = begin();
    expect(file.take()).toEqual([]);
    appendFileSync(path, '\n{"n":1}\n\n{"n":2}\n');
    expect(file.take()).toEqual([{ n: 1 }, { n: 2 }]);
    expect(file.take()).toEqual([]);
    expect(shared).toEqual([`${path}.new`]);
    expect(statSync(path).mode & 0o002).toBe(0);
    file.close();
    expect(existsSync(path)).toBe(false);
  });

  it('waits for the rest of a line, also within a character', () => {
    const { path, file } = begin();
    const bytes = Buffer.from('\n{"name":"Årsø"}\n');
    const middle = bytes.indexOf(0xc3) + 1;
    appendFileSync(path, bytes.subarray(0, middle));
    expect(file.take()).toEqual([]);
    appendFileSync(path, bytes.subarray(middle));
    expect(file.take()).toEqual([{ name: 'Årsø' }]);
    file.close();
  });

  it('a line that was cut off takes no other with it', () => {
    const { path, file } = begin();
    appendFileSync(path, '\n{"n":1,"tar');
    appendFileSync(path, '\n{"n":2}\n');
    expect(file.take()).toEqual([{ n: 2 }]);
    file.close();
  });

  it('is short again after a while, and what is still written into the former is not lost', () => {
    const { path, file } = begin();
    const late = openSync(path, 'a');
    const line = `\n${JSON.stringify({ text: 'x'.repeat(1000) })}\n`;
    appendFileSync(path, line.repeat(1100));
    expect(file.take()).toHaveLength(1100);
    expect(statSync(path).size).toBe(0);
    writeSync(late, '\n{"n":"late"}\n');
    closeSync(late);
    appendFileSync(path, '\n{"n":"new"}\n');
    expect(file.take()).toEqual([{ n: 'late' }, { n: 'new' }]);
    file.close();
  });
});
