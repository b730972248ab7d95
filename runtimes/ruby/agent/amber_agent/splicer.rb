# frozen_string_literal: true

require_relative 'exchange'
require_relative 'spliced'
require_relative 'splicing'

module AmberAgent
  # Which marks of a session stand in the program's own code, piece by piece of what is loaded.
  class Splicer
    # The marks of one piece of code: by line; the pairs that are exchanged for them, outermost first; their names by line.
    Splice = Struct.new(:marks, :pairs, :names)
    NONE = Splice.new({}, [], {}).freeze
    # Longest text of a file that is compiled for a mark, in bytes.
    LONGEST = 1_000_000
    # What was made before is kept, since a proc may still run what stood in it; this many for each piece of code.
    MOST_KIN = 32
    # Seconds between two looks whether code that is to get its own body back rests, at first and at most.
    SOON = 0.02
    LATER = 5
    # Having waited for that long, once, the collector is run.
    COLLECT = 0.3

    def initialize(session)
      @session = session
      @now = {}.compare_by_identity
      @prepared = {}.compare_by_identity
      @kin = {}.compare_by_identity
      # Pieces of code in which the marks of a session before have not gone yet.
      @waiting = {}.compare_by_identity
    end

    # Bring the marks of one piece of code in line with `wanted` (by line). The block takes the session's other hooks out of
    # it, at the moment in which code is exchanged.
    # @return the lines that have their marks in the code itself now, and whether that is all that can be had
    def bring(unit, lines, wanted)
      now = @now[unit] || NONE
      return [still(now, wanted), true] if same?(now.marks, wanted) || (wanted.empty? && now.equal?(NONE))

      fresh = prepared(unit, lines, wanted)
      return [now.marks, true] if fresh.marks.empty? && now.equal?(NONE)

      done = may_exchange? && Exchange.alone((now.pairs + fresh.pairs).map(&:target).uniq(&:__id__)) do
        yield
        change(now, fresh)
      end
      return [still(now, wanted), false] unless done

      @now[unit] = fresh
      keep(unit, fresh.pairs)
      @prepared.delete(unit)
      Spliced.remove(now.names.values)
      [fresh.marks, !@waiting.key?(unit)]
    end

    # The sequences that events are to be aimed at, for all code of a piece to be reached.
    def aims(unit)
      made = [*(@now[unit] || NONE).pairs, *@kin[unit]].map(&:made)
      unit.iseqs + made
    end

    # Whether a line of a piece of code has its mark in the code itself.
    def at?(unit, line)
      (@now[unit] || NONE).marks.key?(line)
    end

    # Give all code its own body back: what rests at once, the other as soon as it does.
    def restore
      all = @now.values
      # Looking whether code rests goes over all objects there are: once for all, and for each only where that fails.
      left = undone?(*all) ? [] : all.reject { |splice| undone?(splice) }
      @now.clear
      @prepared.each_value { |_wanted, splice| Spliced.remove(splice.names.values) }
      @prepared.clear
      return Spliced.uninstall if left.empty?

      Thread.new { undo_later(left) }.report_on_exception = false
    end

    private

    def same?(one, other)
      one.size == other.size && one.all? { |line, mark| other[line].equal?(mark) }
    end

    # What stands in code that cannot be exchanged now: marks that are wanted as they are there go on, the others are passed
    # elsewhere.
    def still(now, wanted)
      now.marks.select do |line, mark|
        stays = wanted[line].equal?(mark)
        Spliced.mute(now.names[line], !stays)
        stays
      end
    end

    # What a step or a pause is aimed at must not change under it.
    def may_exchange?
      Exchange.allowed? && !@session.aiming?
    end

    def change(now, fresh)
      Spliced.install
      # Compiled code calls other compiled code without asking for its body: enabling an event throws it away.
      TracePoint.new(:call) {}.tap { |trace| trace.enable(target: RubyVM::InstructionSequence.of(method(:same?))) }.disable
      return false unless (now.pairs + fresh.pairs).all? { |pair| Exchange.free?(pair.target) }

      now.pairs.reverse_each { |pair| Exchange.swap(pair.target, pair.made) }
      fresh.pairs.each { |pair| Exchange.swap(pair.target, pair.made) }
      true
    end

    def prepared(unit, lines, wanted)
      known, splice = @prepared[unit]
      return splice if known && same?(known, wanted)

      Spliced.remove(splice.names.values) if splice
      splice = wanted.empty? || unit.number || !Exchange.allowed? ? NONE : prepare(unit, lines, wanted)
      @prepared[unit] = [wanted, splice]
      splice
    end

    def prepare(unit, lines, wanted)
      @waiting.delete(unit)
      text = File.read(unit.file, encoding: Encoding::UTF_8)
      return NONE if text.bytesize > LONGEST

      splice = Splice.new({}, [], {})
      splicing = Splicing.new(text, lines)
      groups = wanted.group_by { |line, mark| lines.sequence_at(line, mark.words) }
      groups.delete(nil)
      # From the outside inwards: what is made for a method has blocks of its own, which run as well.
      groups.group_by { |group, _here| lines.depth_of(group) }.sort_by(&:first).each { |_depth, level| add(splice, splicing, unit, level.to_h) }
      splice
    rescue SystemCallError
      NONE
    end

    def add(splice, splicing, unit, level)
      named = level.to_h { |group, here| [group, here.to_h { |line, mark| [line, [Spliced.add(@session, mark, group.path), mark]] }] }
      pairs_before = [*@kin[unit], *splice.pairs]
      made = splicing.made(named) { |group| free(unit, live_as(group, pairs_before)) }
      made.each do |_group, here, pairs|
        here.each do |line, (name, mark)|
          splice.marks[line] = mark
          splice.names[line] = name
        end
        splice.pairs.concat(pairs)
      end
      Spliced.remove(named.values.flat_map { |here| here.values.map(&:first) } - splice.names.values)
    end

    # @raise [Splicing::Different] where the marks of a session before have not gone yet
    def free(unit, live)
      return live unless live.any? { |one| Exchange.held?(one) && !ours?(unit, one) }

      @waiting[unit] = true
      raise Splicing::Different
    end

    # All sequences that may run as `group`: itself, and those that stand in what was made for the code around it.
    def live_as(group, pairs)
      pairs.each_with_object([group]) { |pair, live| live.concat(live.filter_map { |one| pair.inner[one] }) }.uniq(&:__id__)
    end

    def ours?(unit, sequence)
      (@now[unit] || NONE).pairs.any? { |pair| pair.target.equal?(sequence) }
    end

    def keep(unit, pairs)
      kin = (@kin[unit] ||= [])
      kin.concat(pairs.reject { |pair| pair.inner.empty? })
      kin.shift while kin.size > MOST_KIN
    end

    def undone?(*splices)
      targets = splices.flat_map { |splice| splice.pairs.map(&:target) }.uniq(&:__id__)
      done = targets.empty? || Exchange.alone(targets) { targets.all? { |one| Exchange.free?(one) } && splices.each { |splice| change(splice, NONE) } }
      splices.each { |splice| Spliced.remove(splice.names.values) } if done
      done
    end

    def undo_later(left)
      wait = SOON
      until left.empty?
        sleep wait
        # What refers to the code may be waiting to be collected, in a program that does nothing.
        GC.start if wait.between?(COLLECT, COLLECT * 2)
        wait = [wait * 2, LATER].min
        left.reject! { |splice| undone?(splice) }
      end
      Spliced.uninstall unless Server.session
    end
  end
end
