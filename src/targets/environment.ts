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
  const ruby = rubyOptions(environment.RUBYOPT ?? '');
  if (ruby !== undefined) {
    added.RUBYOPT = ruby;
  }
  if (environment.AMBER_RUN_DIR) {
    added.AMBER_RUN_DIR = resolve(environment.AMBER_RUN_DIR);
  }
  return added;
}

/**
 * Ruby's options with our file loaded first: by its whole path, since programs change the path of libraries. Ruby
 * splits these options at blanks and knows no quotes, so that from a folder with a blank in its name nothing is loaded.
 */
function rubyOptions(present: string): string | undefined {
  const load = `-r${join(AGENTS_FOLDER, 'ruby', 'boot', 'amber_boot')}`;
  if (/\s/.test(load)) {
    return undefined;
  }
  const others = present.split(/\s+/).filter((option) => option && option !== load);
  return [load, ...others].join(' ');
}
