import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { Program, pythons } from '../support/python.js';

useRunFolder();

const JAVASCRIPT = `const input = require('node:readline').createInterface({ input: process.stdin });
class Login { constructor(user, password) { this.user = user; this.password = password; } }
function enter(line) {
  const token = 'tk-' + line;
  const login = new Login('ada', 'pw-' + line);
  const headers = new Map([['authorization', 'Bearer ' + token], ['accept', '*/*']]);
  return login.user + headers.size + token.length;
}
input.on('line', (line) => console.log(line + ' -> ' + enter(line)));
console.log('ready');
`;
const PYTHON = `import sys
class Login:
    def __init__(self, user, password):
        self.user = user
        self.password = password
def enter(line):
    token = 'tk-' + line
    login = Login('ada', 'pw-' + line)
    headers = {'authorization': 'Bearer ' + token, 'accept': '*/*'}
    return login.user + str(len(headers)) + token[:0]
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', enter(line.strip()), flush=True)
`;

describe.each(['javascript', 'python'])('secrets in a %s program', (language) => {
  const isPython = language === 'python';
  const line = isPython ? 10 : 7;
  const file = isPython ? 'app.py' : 'app.js';
  let program: NodeProgram | Program;

  beforeEach(async () => {
    program = isPython
      ? new Program(pythons().at(-1)?.path ?? 'python3', PYTHON)
      : new NodeProgram(JAVASCRIPT);
    await program.line('ready');
  });
  afterEach(() => program.end());

  async function look(...options: string[]): Promise<string> {
    const amber = startAmber(['attach', `${program.pid}`, ...options], { cwd: program.folder });
    amber.type(`log ${file}:${line} "{token} {login} {headers}"\nbreak ${file}:${line}\n`);
    await amber.shows('mark 2');
    program.say('seventeen');
    await amber.shows('next ▸');
    amber.type('vars\nopen login\n= token\n= login.password\n= headers\nvars --table\nresume\ndetach\n');
    return (await amber.ended).stdout;
  }

  it('are hidden wherever values are shown, and not from the program', async () => {
    const shown = await look();
    expect(shown).not.toContain('tk-seventeen');
    expect(shown).not.toContain('pw-seventeen');
    expect(shown).toContain('•••');
    expect(shown).toContain('ada');
    expect(await program.line('seventeen ->')).toMatch(/ada2/);
  });

  it('are shown with --unveil', async () => {
    const shown = await look('--unveil');
    expect(shown).toContain('tk-seventeen');
    expect(shown).toContain('pw-seventeen');
    expect((await runAmber(['attach', '--help'])).stdout).toContain('--unveil');
  });
});
