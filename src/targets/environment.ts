import { resolve } from 'node:path';
import type { Runtime } from './runtime.js';

/**
 * The environment that makes every interpreter started in it attachable. A variable that is set already is
 * kept and extended.
 */
export function environmentFor(
  runtimes: readonly Runtime[],
  environment: NodeJS.ProcessEnv,
): Record<string, string> {
  return {
    // Tells `amber targets` that an interpreter was meant to have its agent.
    AMBER_AGENT: '1',
    ...Object.assign({}, ...runtimes.map((runtime) => runtime.prepare(environment))),
    ...(environment.AMBER_RUN_DIR ? { AMBER_RUN_DIR: resolve(environment.AMBER_RUN_DIR) } : {}),
  };
}

/** A command as it has to be for its interpreter to be attachable, and the variables that it needs. */
export function arrangedFor(
  runtimes: readonly Runtime[],
  command: string[],
): { command: string[]; added: Record<string, string> } {
  for (const { arrange } of runtimes) {
    const arranged = arrange?.(command);
    if (arranged !== undefined) {
      return arranged;
    }
  }
  return { command, added: {} };
}
