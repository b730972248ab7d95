import { join } from 'node:path';
import type { Lending } from '../../src/targets/unprepared/lending.js';
import { Ruby } from './interpreter.js';

/** Seconds that Ruby's main thread waits at most while the agent is loaded. */
const LOADING = 0.5;

/** How the agent is brought into a Ruby that runs already. */
export const lending: Lending = {
  interpreterIn: (memory) => new Ruby(memory),
  text({ agent, folder, begun, trouble }) {
    const path = (text: string) =>
      `["${Buffer.from(text).toString('hex')}"].pack("H*").force_encoding("UTF-8")`;
    // A job that was put off runs as a signal handler does, where no lock may be taken: another thread loads the agent.
    // Meanwhile the main thread waits, or the other had to wait for its turn after each file.
    return [
      `::File.write(${path(begun)}, "")`,
      '->(over, done){::Thread.new{::Thread.current.report_on_exception=false',
      'begin',
      `require ${path(join(agent, 'amber_agent'))}`,
      `::AmberAgent.lend(${path(folder)}, ${path(begun)})`,
      'rescue ::Exception',
      `::File.write(${path(trouble)}, $!.inspect) rescue nil`,
      'ensure',
      'done.close',
      'end}',
      `::IO.select([over],nil,nil,${LOADING})`,
      'over.close}.(*::IO.pipe)',
    ].join(';');
  },
};
