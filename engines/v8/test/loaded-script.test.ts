import { LoadedScript } from '../loaded-script.js';
import { scriptParsedSchema } from '../protocol.js';

async function functionsOn(line: string): Promise<number> {
  const parsed = scriptParsedSchema.parse({ scriptId: '1', url: '/fares.js', startLine: 0, startColumn: 0 });
  const script = new LoadedScript(undefined as never, parsed, '/', (url) => url);
  script.arrives(line);
  return (await script.oneLineFunctions('/fares.js', 1)).length;
}

const lineOf = (count: number) =>
  `exports.all = { ${Array.from({ length: count }, (_, n) => `f${n}: (fee) => fee + ${n}`).join(', ')} };`;

it('has the functions of a line that people wrote, and none of one that a program wrote', async () => {
  expect(await functionsOn(lineOf(3))).toBe(3);
  expect(await functionsOn(lineOf(20))).toBe(20);
  expect(await functionsOn(lineOf(21))).toBe(0);
});
