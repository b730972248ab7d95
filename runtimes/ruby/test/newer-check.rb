# Every statement of the file has a TracePoint, aimed as the agent aims it; each is passed as often as the statement runs.
require 'json'

def sequences(root)
  found = [root]
  root.each_child { |child| found.concat(sequences(child)) }
  found
end

root = RubyVM::InstructionSequence.compile(SOURCE, '/ferry.rb', '/ferry.rb')
lines = AmberAgent::Lines.new(root)
places = lines.between(1, SOURCE.lines.size)
root.eval
before = answers.inspect

passed = Hash.new(0)
points = places.filter_map do |line|
  target = lines.sequence_at(line) || lines.calls_at(line).first
  next if target.nil?

  event = lines.calls_at(line).include?(target) ? :call : :line
  point = TracePoint.new(event) { passed[line] += 1 }
  event == :call ? point.enable(target: target) : point.enable(target: target, target_line: line)
  point
end
after = answers.inspect
points.each(&:disable)
# Blocks of a followed method belong to it, however its frames are called.
class Quay
  def self.moor(standing)
    [standing.depth(:moor), *[1, 2].map { standing.depth(:moor) }, [3].each { |_n| return [4].map { standing.depth(:moor) } }]
  end

  def moor(standing)
    [standing.depth(:moor), *[1, 2].map { [1].map { standing.depth(:moor) } }.flatten, *[1].map { standing.depth(:moor) }]
  end
end
depths = [Quay.new.moor(AmberAgent::Standing.new(1, false)).uniq.size, (Quay.moor(AmberAgent::Standing.new(1, false)) + [caller_locations(0).size + 1]).uniq.size]

# What lines do to variables, by their numbers: names that they assign, whether they call, which lines may be next.
effects = places.filter_map do |line|
  _sequence, of_sequence = lines.effects_at(line)
  one = of_sequence&.line(line)
  [line, [one.assigned.sort, one.calls, one.following.sort]] if one
end

{
  version: RUBY_VERSION,
  effects: effects.to_h,
  depths: depths,
  places: places,
  same: after == before,
  answers: after,
  passed: passed,
  inline: places.select { |line| lines.inline?(line) },
  moved: [1, 21].to_h { |line| [line, lines.place(line)] },
  exchange: (AmberAgent::Exchange.possible? rescue $!.class.name)
}.to_json
