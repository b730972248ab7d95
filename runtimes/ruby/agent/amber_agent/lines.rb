# frozen_string_literal: true

require_relative 'effects'

module AmberAgent
  # The lines of a piece of code at which a thread can be stopped, from the events that its instructions hold.
  class Lines
    # Code that runs instead of what it stands in, and not in addition to it.
    HANDLER = /\A(?:rescue|ensure) in /

    # Methods that make a proc of their block, to be called later; `->` is the first.
    MAKERS = %i[lambda proc define_method].freeze

    # Kinds of code that see the variables of what they stand in.
    WITHIN = %i[block rescue ensure eval plain].freeze

    def initialize(root)
      @parents = {}.compare_by_identity
      @lines = Hash.new { |lines, line| lines[line] = [] }
      # By line: methods without a statement (`def one(x) = x * 2`), which have no event but that of their call.
      @calls = {}
      # Lines of blocks that begin and end on one (`.map { |n| n + 1 }`): parts of an expression to whoever steps.
      @inline = {}
      @effects = {}.compare_by_identity
      @makers = {}.compare_by_identity
      walk(root, false)
    end

    # Whether a block stands on `line` as a whole.
    def inline?(line)
      @inline.key?(line)
    end

    # The methods on a line that can only be stopped at when they are called.
    def calls_at(line)
      @calls[line] || []
    end

    # The first line from `line` on where a statement begins, or nil.
    def place(line)
      @lines.key?(line) ? line : @lines.keys.select { |other| other > line }.min
    end

    # All such lines between two.
    def between(first, last)
      @lines.keys.select { |line| line.between?(first, last) }.sort
    end

    # The labels of the frames that pass `line` once each time the statement runs; nil when all do.
    #
    # A block on the line of the statement that it belongs to passes it again and again, and the line that defines
    # a method is passed when it is defined, too. A block that is kept runs apart from its statement, perhaps long after it:
    # it passes the line as well, and alone where `words` names what only it sees.
    def labels_at(line, words = [])
      here = @lines[line]
      return nil if here.size < 2

      chosen = here.find { |iseq, in_method| in_method && !block?(iseq) } || here.first
      kept = here.map(&:first).select { |iseq| !iseq.equal?(chosen[0]) && apart?(iseq) }
      named = words & kept.flat_map { |iseq| own_names(iseq) }.map(&:to_s)
      meant = named.empty? ? [] : kept.select { |iseq| (named - names_in(iseq).map(&:to_s)).empty? }
      return meant.map(&:label) unless meant.empty?

      taken = [chosen[0], *kept].map(&:label)
      labels = here.filter_map { |iseq, _| iseq.label if taken.include?(iseq.label) || HANDLER.match?(iseq.label) }.uniq
      labels.size == here.map { |iseq, _| iseq.label }.uniq.size ? nil : labels
    end

    # Whether `line` stands outside of every method, class and block.
    def of_the_file?(line)
      @lines[line].all? { |iseq, _in_method| @parents[iseq].nil? }
    end

    # The sequence that all frames at `line` run, and what is known of what it does; nil where they run several.
    def effects_at(line)
      iseqs = @lines[line].map(&:first).uniq
      return nil unless iseqs.size == 1

      [iseqs[0], @effects[iseqs[0]] ||= Effects.new(around(iseqs[0]))]
    end

    # The local variables that code at `line` has, or nil where that differs from frame to frame.
    def locals_at(line)
      iseqs = @lines[line].map(&:first)
      return nil unless iseqs.size == 1

      names_in(iseqs.first)
    end

    # The local variables that a sequence has, those of the code around it included.
    def names_in(iseq)
      around(iseq).flat_map { |one| own_names(one) }
    end

    # The method or block that a statement at `line` belongs to; nil where there are several, or none.
    def sequence_at(line, words = [])
      return nil if calls_at(line).any?

      here = @lines[line]
      labels = labels_at(line, words)
      here = here.select { |iseq, _in_method| labels.include?(iseq.label) } if labels
      here.size == 1 && %i[method block].include?(kind_of(here[0][0])) ? here[0][0] : nil
    end

    # How deep a sequence stands in others.
    def depth_of(iseq)
      depth = 0
      depth += 1 while (iseq = @parents[iseq])
      depth
    end

    # Whether every call of a method passes `line` once, before all its other lines; a block outside of methods that stands
    # on its line as a whole is called like one.
    def opens_at?(line)
      @lines[line].any? do |iseq, in_method|
        is_called = iseq.trace_points.any? { |_line, event| event == :call }
        in_method ? is_called && Lines.first_of(iseq) == line : inline?(line) && apart?(iseq)
      end
    end

    # Those of `sequences` to which a line event at `line` can be aimed.
    def self.roots_at(sequences, line)
      sequences.size == 1 ? sequences : sequences.select { |root| line_in?(root, line) }
    end

    def self.line_in?(iseq, line)
      return true if iseq.trace_points.any? { |other, event| other == line && event == :line }

      found = false
      iseq.each_child { |child| found ||= line_in?(child, line) }
      found
    end
    private_class_method :line_in?

    # The first and the last line with code of a method, blocks included.
    def self.extent_of(iseq)
      lines = lines_in(iseq)
      [lines.min, lines.max]
    end

    def self.lines_in(iseq)
      lines = iseq.trace_points.map(&:first)
      iseq.each_child { |child| lines.concat(lines_in(child)) }
      lines
    end
    private_class_method :lines_in

    # The first line of the body of a method that is defined at `line`, or nil.
    def self.first_of(iseq)
      events = iseq.trace_points
      (events.find { |_line, event| event == :line } || events.find { |_line, event| event == :call })&.first
    end

    private

    def kind_of(iseq)
      iseq.to_a[9]
    end

    def block?(iseq)
      iseq.label.start_with?('block ')
    end

    # Whether a block runs apart from the statement that it stands in: that of a file or a class runs once, and what a
    # method keeps of a block is made a proc.
    def apart?(iseq)
      return false unless block?(iseq)

      parent = @parents[iseq]
      return true unless parent.is_a?(RubyVM::InstructionSequence) && (block?(parent) || %i[method block].include?(kind_of(parent)))

      makers_in(parent).fetch(iseq, false)
    end

    # The blocks of a sequence that are made procs of.
    def makers_in(parent)
      @makers[parent] ||= begin
        blocks = []
        parent.each_child { |child| blocks << child if block?(child) }
        calls = parent.to_a[13].grep(Array).select { |_name, call, block| Hash === call && Array === block && block[9] == :block }
        made = calls.map { |_name, call, _block| MAKERS.include?(call[:mid]) }
        # Where the interpreter writes its code otherwise than we know, none is.
        blocks.size == made.size ? blocks.zip(made).each_with_object({}.compare_by_identity) { |(block, is_made), found| found[block] = is_made } : {}
      end
    end

    # The local variables of a sequence alone.
    def own_names(iseq)
      iseq.to_a[10].grep(Symbol)
    end

    # A sequence, and those whose variables it sees.
    def around(iseq)
      found = [iseq]
      found << @parents[found.last] while WITHIN.include?(kind_of(found.last)) && @parents[found.last].is_a?(RubyVM::InstructionSequence)
      found
    end

    def walk(iseq, in_method)
      inside = in_method || iseq.trace_points.any? { |_line, event| event == :call }
      events = iseq.trace_points
      events.each { |line, event| @lines[line] << [iseq, inside] if event == :line }
      call = events.find { |_line, event| event == :call }
      unless call.nil? || events.any? { |_line, event| event == :line }
        @lines[call[0]] << [iseq, inside]
        (@calls[call[0]] ||= []) << iseq
      end
      if events.any? { |_line, event| event == :b_call } && events.map(&:first).uniq.size == 1
        @inline[events.first[0]] = true
      end
      iseq.each_child do |child|
        @parents[child] = iseq
        walk(child, inside)
      end
    end
  end
end
