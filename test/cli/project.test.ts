import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';

useRunFolder();

const SOURCE = `const input = require('node:readline').createInterface({ input: process.stdin });
function work(n) {
  const total = n * 2;
  return total;
}
input.on('line', (line) => console.log(line + ' -> ' + work(Number(line))));
console.log('ready');
`;

describe('what is kept with a project', () => {
  let program: NodeProgram;

  beforeEach(async () => {
    program = new NodeProgram(SOURCE, 'app.js', {
      'amber.yaml':
        '# ours\ntargets:\n  shop: { command: app.js, folder: . }\nrequests:\n  front: { url: "http://127.0.0.1:1/", body: { a: 1 } }\nlimits: { perSecond: 3 }\n',
    });
    await program.line('ready');
  });
  afterEach(() => program.end());

  const amber = (input: string) => runAmber(['attach', 'shop'], { cwd: program.folder, input });

  it('is written on request, comes back, and follows edits of the file by its text', async () => {
    const first = await amber('break app.js:4 when total < 0\nlog app.js:4 "{total}"\nwatch total\nsave\n');
    expect(first.stdout).toContain('wrote 2 marks to amber.yaml');
    const text = readFileSync(program.path('amber.yaml'), 'utf8');
    expect(text).toContain('# ours');
    expect(text).toMatch(/marks:\n {2}- break: app.js:4 when total < 0\n {4}text: return total;\n/);
    const second = await amber('marks\nwatches\noff 1 --keep\n');
    expect(second.stdout).toMatch(/1 +break +on +spliced +0 +app\.js:4\n +when total < 0/);
    expect(second.stdout).toContain('watch 1  total');
    const third = await amber('marks\non\noff 2\n');
    expect(third.stdout + third.stderr).toMatch(/1 +break +off/);
    // Off for the session only, and what was kept as off is kept.
    const fourth = await amber('marks\n');
    expect(fourth.stdout).toMatch(/1 +break +off[\s\S]*2 +log +on/);
    expect(existsSync(program.path('.amber/.gitignore'))).toBe(true);
    writeFileSync(program.file, SOURCE.replace('function work', '// new\n// lines\nfunction work'));
    const moved = await amber('marks\n');
    expect(moved.stdout).toContain('mark 1 has moved from line 4 to 6 with its text');
    writeFileSync(program.file, SOURCE.replace('  return total;\n', ''));
    const gone = await amber('marks\n');
    expect(gone.stdout).toContain('the marked line is not in the file any more: return total;');
  });

  it('gives logpoints their limits, and requests their names', async () => {
    const session = startAmber(['attach', 'shop'], { cwd: program.folder });
    session.type('log app.js:4 "{total}"\n');
    await session.shows('is on');
    // Far more at once than the limit lets through in any time that this may take.
    for (let n = 1; n <= 3000; n += 1) {
      program.say(`${n}`);
    }
    await session.shows(/[\d,]+ more of mark 1 were left out/);
    session.type('send front\nwait response 5\ndetach\n');
    expect((await session.ended).stdout).toContain('▸ POST http://127.0.0.1:1/');
  });

  it('brings back on request what a session had whose terminal was lost', async () => {
    const lost = startAmber(['attach', 'shop'], { cwd: program.folder });
    lost.type('break app.js:4 when total === 8\nwatch total\n');
    await lost.shows('watch 1');
    lost.child.kill('SIGHUP');
    await lost.ended;
    const again = await amber('marks\nrestore\nwatches\n');
    expect(again.stdout).toMatch(/no marks[\s\S]*mark 1 at app\.js:4 is on \(spliced\)[\s\S]*watch 1 +total/);
    const clean = await amber('restore\n');
    expect(clean.stdout).toContain('there is nothing to bring back');
  });

  it('tells what is wrong in the file, and which target it means', async () => {
    writeFileSync(program.path('amber.yaml'), 'marks:\n  - break: "app.js:"\n');
    const wrong = await runAmber(['attach', `${program.pid}`], { cwd: program.folder });
    expect(wrong).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('amber.yaml, marks.0: a line number is expected here'),
    });
    writeFileSync(program.path('amber.yaml'), 'targets:\n  nowhere: { command: no-such.js }\n');
    const nobody = await runAmber(['attach', 'nowhere'], { cwd: program.folder });
    expect(nobody).toMatchObject({
      code: 3,
      stderr: expect.stringContaining('nothing runs here that is nowhere'),
    });
  });
});
