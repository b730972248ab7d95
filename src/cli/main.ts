#!/usr/bin/env node
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

void main();

/** Answers `--version` without loading anything; all else is in program.ts. */
async function main(): Promise<void> {
  const version = readVersion();
  const [first] = process.argv.slice(2);
  if (first === '--version' || first === '-V') {
    process.stdout.write(`${version}\n`);
    return;
  }
  const { runProgram } = await import('./program.js');
  await runProgram(process.argv, version);
}

function readVersion(): string {
  const manifest: unknown = JSON.parse(readFileSync(join(__dirname, '..', '..', 'package.json'), 'utf8'));
  return (manifest as { version: string }).version;
}
