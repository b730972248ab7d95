// Runs the code of the agent that makes code, in a newer Python than the machine has. node newer.mjs AGENT-FOLDER
import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join, resolve } from 'node:path';

const packages = createRequire(resolve(import.meta.dirname, '../../../test/wasm/package.json'));
const { loadPyodide } = packages('pyodide');
const [agent] = process.argv.slice(2);

const python = await loadPyodide({ stdout: () => undefined });
python.FS.mkdirTree('/agent/amber_agent');
for (const name of readdirSync(join(agent, 'amber_agent')).filter((one) => one.endsWith('.py'))) {
  python.FS.writeFile(`/agent/amber_agent/${name}`, readFileSync(join(agent, 'amber_agent', name)));
}
python.FS.writeFile('/ferry.py', readFileSync(join(import.meta.dirname, 'newer.py')));
process.stdout.write(`${python.runPython(readFileSync(join(import.meta.dirname, 'newer-check.py'), 'utf8'))}\n`);
process.exit(0);
