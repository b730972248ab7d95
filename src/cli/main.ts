#!/usr/bin/env node
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { INSTALLATION } from '../installation.js';
import { loadCached } from './load.js';

void main();

/** Answers `--version` without loading anything; all else is in program.ts. */
async function main(): Promise<void> {
  const version = readVersion();
  const [first] = process.argv.slice(2);
  if (first === '--version' || first === '-V') {
    process.stdout.write(`${version}\n`);
    return;
  }
  const { exports } = loadCached(join(__dirname, 'program.js'));
  await (exports as typeof import('./program.js')).runProgram(process.argv, version);
}

function readVersion(): string {
  const manifest: unknown = JSON.parse(readFileSync(join(INSTALLATION, 'package.json'), 'utf8'));
  return (manifest as { version: string }).version;
}
