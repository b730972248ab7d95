import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { ENGINE_PARTS, partOf } from '../../../engines/v8/parts.js';
import { HELPER, WAY } from '../../../engines/v8/splice/code.js';
import { agentFolder } from '../../../src/installation.js';
import { WAKE_SIGNAL } from './signs.js';

const FOLDER = agentFolder('node');

/** Names of ours in a Node program (runtimes/node/agent). */
const NAMES = { way: WAY, helper: HELPER };

/** What every description of the agent says (docs/endpoints.md). */
const ENDPOINT = { version: 1, runtime: 'javascript', signal: WAKE_SIGNAL, agent: '0.1.0' };

/** What the agent's thread is to know (runtimes/node/agent/main/boot.js); `endpoint` has the folder and facts of the process. */
export function agentOptions(options: {
  closesInspector: boolean;
  silence: number;
  firstClient: number;
  endpoint: { folder: string; mayMakeFolder: boolean; [fact: string]: unknown };
}): object {
  return { ...options, name: NAMES.way, names: NAMES, endpoint: { ...ENDPOINT, ...options.endpoint } };
}

/** Parts of the helper that are the engine's own; all others are Node's. */
const OF_THE_ENGINE = new Set(['helper', 'rules', 'conditions', 'followed', 'deliveries', 'sends', 'text']);

/** One of the expressions that run in the program's own threads. */
export function mainSource(name: string): string {
  return partOf(OF_THE_ENGINE.has(name) ? ENGINE_PARTS : join(FOLDER, 'main'), name);
}

/** A part of the helper as the engine's side asks for it: what gives modules is Node's own `require`. */
export function helperPart(name: string): string {
  return name === 'require' ? 'require' : mainSource(name);
}

/**
 * The agent's thread as one text, since the program may not be able to read our files: its modules, and a `require`
 * that finds them.
 */
export function agentSource(): string {
  const folder = join(FOLDER, 'thread');
  const modules = readdirSync(folder).map((name) => {
    const text = readFileSync(join(folder, name), 'utf8');
    return `${JSON.stringify(`./${name}`)}: (require, module) => {${text}\n}`;
  });
  return `'use strict';
const parts = {${modules.join(',\n')}};
const loaded = new Map();
function load(name) {
  if (parts[name] === undefined) return require(name);
  if (!loaded.has(name)) {
    const module = { exports: {} };
    loaded.set(name, module);
    parts[name](load, module);
  }
  return loaded.get(name).exports;
}
load('./main.js');`;
}
