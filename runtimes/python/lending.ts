import type { Lending } from '../../src/targets/unprepared/lending.js';
import { Python } from './interpreter.js';
import { execRemotely, execsRemotely } from './remote-exec.js';

/** How the agent is brought into a Python that runs already. */
export const lending: Lending = {
  interpreterIn: (memory, machine) => new Python(memory, machine),
  text({ agent, folder, begun, trouble, mask }) {
    const path = (text: string) => `bytes.fromhex("${Buffer.from(text).toString('hex')}").decode()`;
    const lines = [
      'try:',
      ` open(${path(begun)},"w").close()`,
      ' import sys',
      ` sys.path.insert(0,${path(agent)})`,
      ' try:',
      '  from amber_agent import dormant',
      ' finally:',
      `  sys.path.remove(${path(agent)})`,
      ` dormant.lend(${path(folder)},${mask},${path(begun)})`,
      'except BaseException as error:',
      ' try:',
      `  open(${path(trouble)},"w").write(repr(error))`,
      ' except BaseException:',
      '  pass',
    ];
    return `__import__("builtins").exec(${JSON.stringify(lines.join('\n'))},{"__name__":"amber"})`;
  },
  execsByItself: execsRemotely,
  exec: execRemotely,
};
