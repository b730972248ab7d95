import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { describeRuby } from '../../../test/support/ruby.js';

/**
 * What a thread of the program writes into a table of ours while another goes over it: Ruby raises in the thread that
 * writes, and the request fails there with an error that looks like the program's own.
 */
const SCRIPT = `
require ARGV[0]
%w[values recorder foreign functions aimed faults served threads].each { |name| require File.join(ARGV[0], name) }

# A thread that lets another have its turn as soon as it is asked for anything, which begins a request just then.
class Yielding
  def initialize(table)
    @table = table
  end

  def alive?
    Thread.new { @table[Object.new] = :request }.tap { |thread| thread.report_on_exception = false }.join
    true
  end
end

def check(name, object, table)
  hash = object.instance_variable_get(table)
  hash[Yielding.new(hash)] = 1
  yield
  puts "#{name}: #{hash.size}"
end

session = Struct.new(:foreign).new(Struct.new(:project_units).new([]))
served = AmberAgent::Served.new(session)
check('served', served, :@by_thread) { served.look }
threads = AmberAgent::Threads.new
check('threads', threads, :@ids) { threads.instance_variable_set(:@lock, Struct.new(:x) { def synchronize = yield }.new); threads.list(Thread.current) }
`;

describeRuby('tables of the agent', ['fiddle'], () => {
  it('take what a thread of the program writes while they are looked through', () => {
    const { stdout, stderr } = spawnSync('ruby', ['-e', SCRIPT, join(agentFolder('ruby'), 'amber_agent')], {
      encoding: 'utf8',
    });
    expect({ stdout, stderr }).toEqual({ stdout: 'served: 2\nthreads: 3\n', stderr: '' });
  });
});
