import { execFileSync } from 'node:child_process';
import { resolve } from 'node:path';
import { Veil } from '../../src/core/veil.js';

const NAMES = [
  'password',
  'userPassword',
  'api_key',
  'apiKey',
  'Authorization',
  'Set-Cookie',
  'card',
  'card_number',
  'pin',
  'sessionId',
  'kestrel',
];
const OTHERS = ['passengers', 'discard', 'cardinal', 'spin', 'name', 'total', 'secretary'.slice(0, 3)];

it('hides what is stored under names that look secret, and under those of the project', () => {
  const veil = new Veil({ names: ['kestrel'] });
  expect(NAMES.filter((name) => !veil.hides(name))).toEqual([]);
  expect(OTHERS.filter((name) => veil.hides(name))).toEqual([]);
  expect(new Veil({ off: true }).hides('password')).toBe(false);
});

it.each([
  ['user.password', true],
  ['d["token"]', true],
  ['password', true],
  ['password.length', false],
  ['len(token)', false],
  ['order.total', false],
])('%s as an expression: %s', (text, hidden) => expect(new Veil().hidesExpression(text)).toBe(hidden));

it('the agent in Python hides the same names', () => {
  const script = `
import json, sys
sys.path.insert(0, ${JSON.stringify(resolve(__dirname, '..', '..', 'agents', 'python'))})
from amber_agent.veil import Veil
veil = Veil(['kestrel'])
names = json.loads(sys.argv[1])
print(json.dumps([[veil.hides(name) for name in names], veil.masked("Login(user='ada', password='x, y', token=7) ok")]))
`;
  const all = [...NAMES, ...OTHERS];
  const [hidden, masked] = JSON.parse(
    execFileSync('python3', ['-c', script, JSON.stringify(all)], { encoding: 'utf8' }),
  );
  const veil = new Veil({ names: ['kestrel'] });
  expect(hidden).toEqual(all.map((name) => veil.hides(name)));
  expect(masked).toBe("Login(user='ada', password=•••, token=•••) ok");
});
