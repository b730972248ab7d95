import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { describeRuby } from '../../../test/support/ruby.js';

/** Changes random values at random, and looks whether a print tells every change that the text of a value tells. */
const SCRIPT = `
require File.join(ARGV[0], 'prints')
Prints = AmberAgent::Prints
Values = AmberAgent::Values

class Office
  def initialize(held) = held.each { |name, value| instance_variable_set("@#{name}", value) }
end
class Named < Office
  def inspect = "Named #{instance_variables.map { |name| instance_variable_get(name) }.inspect}"
end
class Deep < Office
  def inspect = "Deep #{@b0.inspect}"
end
class Rows < Hash; end
class Bare < BasicObject; end
Slip = Struct.new(:fare, :kind)

def scalar(rng)
  [nil, true, false, 0, 1, -3, 1.0, 2.5, 10**30, :Holm, '', 'Holm', 'x' * 3000, Rational(1, 3), (1..4), Bare.new].sample(random: rng)
end

def value(rng, depth = 3)
  return scalar(rng) if depth.zero? || rng.rand < 0.3

  parts = Array.new(rng.rand(5)) { value(rng, depth - 1) }
  case rng.rand(8)
  when 5 then Deep.new('b0' => [[[[parts]]]])
  when 6 then Rows.new.merge!(parts.each_with_index.to_h { |part, index| [index, part] })
  when 0 then parts.each_with_index.to_h { |part, index| [rng.rand < 0.5 ? index : index.to_s, part] }
  when 1 then Set.new([1, 2, 'a'].first(rng.rand(4)))
  when 2 then Slip.new(parts[0], scalar(rng))
  when 3 then Office.new(parts.each_with_index.to_h { |part, index| ["a#{index}", part] })
  when 4 then Named.new(parts.each_with_index.to_h { |part, index| ["b#{index}", part] })
  else parts
  end
end

# Everything within a value that can be changed.
def places(held, found)
  inner = []
  case held
  when String then found << [:text, held, nil] unless held.frozen?
  when Array
    held.each_index { |index| found << [:item, held, index] }
    found << [:add, held, nil]
    inner = held
  when Hash
    held.each_key { |key| found << [:item, held, key] }
    found << [:key, held, nil]
    inner = held.values
  when Set then found << [:member, held, nil]
  when Struct
    found << [:item, held, :fare]
    inner = held.to_a
  when Office
    inner = held.instance_variables.map { |name| found << [:attribute, held, name] && held.instance_variable_get(name) }
  end
  inner.each { |item| places(item, found) }
  found
end

def change(rng, what, held, where)
  new = value(rng, 1)
  case what
  when :text then held << 'y'
  when :item then held[where] = new
  when :add then held << new
  when :key then held["k#{rng.rand(9)}"] = new
  when :member then held << rng.rand(50)
  else held.instance_variable_set(where, new)
  end
end

changes = same = lists = 0
3000.times do |seed|
  rng = Random.new(seed)
  held = Marshal.load(Marshal.dump(value(rng))) rescue held = value(rng)
  text = Values.text_of(held, 200)
  if Array === held
    members = ->(item, limit, depth) { Values.text_within(item, limit, depth) if Array === item || Hash === item }
    listed = Values.text_of_list(held, 200, &members)
    puts "another text of its members #{seed} #{text} #{listed}" if listed != text
    lists += 1
  end
  before = Prints.of(held, 200)
  puts "another print of the same #{seed} #{text}" unless before.eql?(Prints.of(held, 200))
  can = places(held, [])
  next if can.empty?

  change(rng, *can.sample(random: rng))
  now = Values.text_of(held, 200)
  told = !before.eql?(Prints.of(held, 200))
  again = Prints.of(held, 200, before)
  puts "taken for the same #{seed} #{text} #{now}" if told && again.equal?(before)
  puts "not known again #{seed}" if !told && !again.equal?(before)
  changes += 1 if now != text
  same += 1 if now == text && !told
  puts "not seen #{seed} #{text} #{now}" if now != text && !told
end
def kept = Prints.of(Office.new({ 'seats' => [Office.new({ 'name' => 'Holm' })] }), 200)
prints = Array.new(50) { kept }
GC.start
puts "changes #{changes > 500} quiet #{same > 20} lists #{lists > 200} kept #{ObjectSpace.each_object(Office).count > 40} #{prints.size}"
`;

describeRuby('prints of values in Ruby', ['set'], () => {
  it('tell every change that a text tells, and keep nothing of the program alive', () => {
    const folder = join(agentFolder('ruby'), 'amber_agent');
    const { stdout, stderr } = spawnSync('ruby', ['-e', SCRIPT, folder], { encoding: 'utf8' });
    expect({ stdout, stderr }).toEqual({
      stdout: 'changes true quiet true lists true kept false 50\n',
      stderr: '',
    });
  });
});
