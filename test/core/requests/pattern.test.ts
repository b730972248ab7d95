import { execFileSync, spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { parseLog, parseMark, parsePattern } from '../../../src/core/marks/grammar.js';
import {
  formatPattern,
  hasPlace,
  pathExpression,
  type RequestPattern,
} from '../../../src/core/requests/pattern.js';
import { requestFrom } from '../../../src/core/requests/written.js';

describe('requests that a mark is for', () => {
  it('are told at the end of it, by place, by a header, or both', () => {
    expect(parseMark('fares.py:58 when n < 0 hits 3 for request post /quotes*')).toMatchObject({
      condition: 'n < 0',
      hits: { n: 3 },
      only: { method: 'POST', path: '/quotes*' },
    });
    expect(parseLog('fares.py:58 "{n} for request GET /x" for header X-User="Ada Quill"').only).toEqual({
      header: { name: 'x-user', value: 'Ada Quill' },
    });
    expect(parsePattern('request * * header x-user=ada')).toEqual({
      method: '*',
      path: '*',
      header: { name: 'x-user', value: 'ada' },
    });
  });

  it('leave a condition alone in which `for` is the language’s own', () => {
    for (const condition of ['any(p for request in seen)', '[h for header in rows if header == 1]']) {
      expect(parseMark(`a.py:1 when ${condition}`)).toMatchObject({ condition });
    }
  });

  it.each(['for request FETCH /x', 'for request GET', 'for header x-user', 'for'])(
    'say what is wrong with `%s`',
    (clause) => {
      expect(() => parseMark(`a.py:1 ${clause}`)).toThrow(/requests are told by|not a place|expected/);
    },
  );

  it('compare methods and paths, with or without the query', () => {
    const quote = { method: 'POST', target: '/quotes/7?x=1' };
    expect(hasPlace(quote, { method: 'POST', path: '/quotes*' })).toBe(true);
    expect(hasPlace(quote, { method: 'GET', path: '/quotes*' })).toBe(false);
    expect(hasPlace(quote, { path: '/quotes/7' })).toBe(true);
    expect(hasPlace(quote, { path: '/quotes/7?x=2' })).toBe(false);
    expect(hasPlace(quote, {})).toBe(true);
    expect(new RegExp(pathExpression('/a.b*')).test('/aXb')).toBe(false);
    expect(formatPattern({ path: '/x' })).toBe('request * /x');
  });
});

describe('a request that is named', () => {
  const named = {
    'good-single': {
      method: 'POST',
      url: 'localhost:8000/quotes',
      body: { n: 1 },
      headers: { 'X-User': 'ada' },
    },
  };

  it('is the one of amber.yaml, changed by what the command says', () => {
    expect(requestFrom(['good-single'], named)).toMatchObject({
      method: 'POST',
      body: '{"n":1}',
      headers: { 'x-user': 'ada' },
    });
    expect(requestFrom(['good-single'], named, { body: 'n=2' }).body).toBe('n=2');
    expect(requestFrom(['GET', ':8000/slips/7'], named)).toMatchObject({
      method: 'GET',
      url: 'http://localhost:8000/slips/7',
    });
    expect(requestFrom(['POST', ':8000/slips', 'a=1&b=2'], named)).toMatchObject({
      method: 'POST',
      body: 'a=1&b=2',
    });
    expect(() => requestFrom(['good-double'], named)).toThrow('amber.yaml has no request good-double');
    // A name that every object has is none of amber.yaml.
    expect(() => requestFrom(['constructor'], named)).toThrow('amber.yaml has no request constructor');
  });
});

const ROOT = resolve(__dirname, '..', '..', '..');
type Vector = [RequestPattern, string, string, boolean];
const { vectors } = JSON.parse(readFileSync(resolve(ROOT, 'contract/requests.json'), 'utf8')) as {
  vectors: Vector[];
};

/** For each language a program that reads the vectors, and says which requests are meant. */
const PROGRAMS: Record<string, string[]> = {
  python: [
    'python3',
    '-c',
    `
import json, sys
sys.path.insert(0, "runtimes/python/agent")
from amber_agent.pattern import RequestPattern
from amber_agent.served import Request
print(json.dumps([RequestPattern(pattern).matches(Request(method, target, lambda name: None, dict)) for pattern, method, target, _ in json.load(sys.stdin)]))
`,
  ],
  ruby: [
    'ruby',
    '-Ku',
    '-e',
    `
require "json"
require "./runtimes/ruby/agent/amber_agent/pattern"
request = Struct.new(:verb, :target, :header)
vectors = JSON.parse(STDIN.read.force_encoding("UTF-8"))
puts JSON.generate(vectors.map { |pattern, verb, target, _| AmberAgent::RequestPattern.new(pattern).matches?(request.new(verb, target, nil)) })
`,
  ],
  php: [
    'php',
    '-r',
    `
require "runtimes/php/agent/amber_agent/Request.php";
$seen = fn(array $vector) => AmberLantern\\Request::matches($vector[0], ["method" => $vector[1], "target" => $vector[2], "traceparent" => ""]);
echo json_encode(array_map($seen, json_decode(stream_get_contents(STDIN), true)));
`,
  ],
};

/** Whether a language is here; in CI all are. */
function has([command = '']: string[]): boolean {
  return process.env.CI !== undefined || spawnSync(command, ['--version']).error === undefined;
}

describe('the requests of the contract', () => {
  const wanted = vectors.map(([, , , isMeant]) => isMeant);

  it('are those that the core means', () => {
    expect(vectors.map(([pattern, method, target]) => hasPlace({ method, target }, pattern))).toEqual(wanted);
  });

  for (const [language, [command = '', ...args]] of Object.entries(PROGRAMS)) {
    (has([command]) ? it : it.skip)(`are those that the agent in ${language} means`, () => {
      const input = JSON.stringify(vectors);
      const told = execFileSync(command, args, { cwd: ROOT, input, encoding: 'utf8' });
      expect(JSON.parse(told)).toEqual(wanted);
    });
  }
});
