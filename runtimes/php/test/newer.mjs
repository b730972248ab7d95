// Runs the code of the agent that rewrites sources, in newer versions of PHP than the machine has.
// node newer.mjs AGENT-FOLDER VERSION FILE
import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join, resolve } from 'node:path';

const packages = createRequire(resolve(import.meta.dirname, '../../../test/wasm/package.json'));
const { loadPHPRuntime, PHP } = packages('@php-wasm/universal');
const [agent, version, file] = process.argv.slice(2);

for (const withMarks of [false, true]) {
  const { getPHPLoaderModule } = packages(`@php-wasm/node-${version.replace('.', '-')}`);
  const php = new PHP(await loadPHPRuntime(await getPHPLoaderModule(), {}));
  php.mkdir('/agent');
  for (const name of readdirSync(join(agent, 'amber_agent'))) {
    php.writeFile(`/agent/${name}`, readFileSync(join(agent, 'amber_agent', name)));
  }
  php.writeFile('/ferry.php', readFileSync(file));
  const check = readFileSync(join(import.meta.dirname, 'newer', 'check.php'), 'utf8');
  php.writeFile('/check.php', check.replace('WITH_MARKS', withMarks ? 'true' : 'false'));
  const { text, errors } = await php.run({ scriptPath: '/check.php' });
  process.stdout.write(`${text || JSON.stringify({ errors })}\n`);
}
process.exit(0);
