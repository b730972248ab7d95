// Runs the code of the agent that finds places, in newer versions of Ruby than the machine has.
// node newer.mjs AGENT-FOLDER VERSION
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join, resolve } from 'node:path';

const packages = createRequire(resolve(import.meta.dirname, '../../../test/wasm/package.json'));
const { DefaultRubyVM } = packages('@ruby/wasm-wasi/dist/node');
const [agent, version] = process.argv.slice(2);

const folder = resolve(import.meta.dirname, `../../../test/wasm/node_modules/@ruby/${version}-wasm-wasi/dist`);
const module = await WebAssembly.compile(readFileSync(join(folder, 'ruby+stdlib.wasm')));
const { vm } = await DefaultRubyVM(module);
for (const name of ['effects', 'lines', 'exchange', 'standing']) {
  const text = readFileSync(join(agent, 'amber_agent', `${name}.rb`), 'utf8');
  vm.eval(text.replace(/^require_relative .*$/gm, '').replace(/^require 'fiddle.*$/gm, ''));
}
const source = readFileSync(join(import.meta.dirname, 'newer.rb'), 'utf8');
vm.eval(`SOURCE = ${JSON.stringify(source).replaceAll('#', '\\u0023')}`);
const check = readFileSync(join(import.meta.dirname, 'newer-check.rb'), 'utf8');
process.stdout.write(`${vm.eval(check).toString()}\n`);
