import { delimiter, join, resolve } from 'node:path';

/** Where the agents are, beside src or dist. */
export const AGENTS_FOLDER = resolve(__dirname, '..', '..', 'agents');

/**
 * The environment that makes every interpreter started in it attachable. A variable that is set already is
 * kept and extended.
 */
export function agentEnvironment(environment: NodeJS.ProcessEnv): Record<string, string> {
  const boot = join(AGENTS_FOLDER, 'python', 'boot');
  const present = (environment.PYTHONPATH ?? '').split(delimiter).filter((entry) => entry && entry !== boot);
  const added: Record<string, string> = {
    // Tells `amber targets` that an interpreter was meant to have its agent.
    AMBER_AGENT: '1',
    PYTHONPATH: [boot, ...present].join(delimiter),
  };
  const options = environment.NODE_OPTIONS ?? '';
  // Each Node process then opens its inspector on a port of its own, when it is asked to.
  added.NODE_OPTIONS = options.includes('--inspect') ? options : `${options} --inspect-port=0`.trim();
  if (environment.AMBER_RUN_DIR) {
    added.AMBER_RUN_DIR = resolve(environment.AMBER_RUN_DIR);
  }
  return added;
}
