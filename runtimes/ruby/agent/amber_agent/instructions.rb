# frozen_string_literal: true

require_relative 'exchange'

module AmberAgent
  # The instructions of one sequence, to be compared with those of another compilation of the same code.
  class Instructions
    # One instruction without what differs from one compilation to another: its code and operands; its line; the number of
    # its node in the syntax tree; its events; whether a line begins with it.
    One = Struct.new(:code, :line, :node, :events, :begins_line)

    # Instructions whose last operand numbers a cache.
    CACHED = %i[getinstancevariable setinstancevariable getclassvariable setclassvariable opt_getinlinecache opt_setinlinecache once].freeze
    LABEL = /\Alabel_\d+\z/
    # A call of the place's own object that is written like a variable (VM_CALL_VCALL).
    VARIABLE_LIKE = 1 << 3
    # How a listing ends a line: the events of an instruction, of two letters each.
    EVENTS = /\[((?:[A-Z][a-z])+)\]\z/

    attr_reader :sequence

    # Where a sequence stands, as far as one can be told from another by it.
    def self.place(sequence)
      [sequence.label, sequence.first_lineno]
    end

    # The line and column with which a sequence begins, and its last line.
    def self.extent(sequence)
      sequence.to_a[4][:code_location].first(3)
    end

    # Of a sequence that runs other code now, its own is looked at.
    def initialize(sequence)
      @sequence = sequence
      @own = Exchange.own(sequence)
      @data = @own.to_a
    end

    def each_one
      @each_one ||= read
    end

    # Whether both have the same local variables and parameters.
    def same_variables?(other)
      kind_and_variables == other.kind_and_variables
    end

    # The indices in `other` of what was put in before some lines, where all else is the same.
    # @param calls by line: the method that what was put in there calls at last
    # The block is called with the line at which they part (or nil), and must not return.
    def added_in(other, calls)
      left = calls.dup
      found = []
      at = 0
      line = nil
      each_one.each do |one|
        if one.begins_line && calls.key?(one.line)
          line = one.line
          # Several statements on one line.
          name = left.delete(line) or yield line
          last = other.call_of(name, at) or yield line
          found.concat((at..last + 1).to_a)
          at = last + 2
        end
        now = other.each_one[at]
        yield line unless now && now.code == one.code && now.line == one.line
        at += 1
      end
      yield left.keys.first || line unless at == other.each_one.size && left.empty?
      found
    end

    # The index of a call of `name` whose value is dropped, from an index on.
    def call_of(name, from)
      last = (from...each_one.size).find { |index| each_one[index].code.any? { |operand| operand.is_a?(Hash) && operand[:mid] == name } }
      last if last && each_one[last + 1]&.code == [:pop]
    end

    # Names that instructions at these indices call like variables.
    def names_called_like_variables(indices)
      calls(@data[13].grep(Array).values_at(*indices)).filter_map { |call| call[:mid] if (call[:flag] & VARIABLE_LIKE).positive? }
    end

    # Which sequence within `other` is which of those within this one; nil where one of them is not the same.
    def inner_in(other)
      found = {}.compare_by_identity
      left = other.children
      children.each do |child|
        index = left.index { |one| child.alike?(one) } or return nil
        child.match_all(left[index], found)
        left = left.drop(index + 1)
      end
      found
    end

    # What an error message shows of a line is found by the numbers of the syntax tree: those of `other` become these. What
    # was put in stands in no tree, and its own blocks begin no line.
    def number(other, added)
      theirs = (other.each_one.each_index.to_a - added).zip(each_one).to_h { |index, one| [index, one.node] }
      lines = Exchange.lines_of(other.sequence)
      other.entries.each { |index, entry| lines[entry][1] = theirs[index] if theirs.key?(index) }
      Exchange.number(other.sequence, @data[4][:node_id], lines)
    end

    def children
      @children ||= [].tap { |found| @own.each_child { |child| found << Instructions.new(child) } }
    end

    def alike?(other)
      @sequence.label == other.sequence.label && code == other.code && children.size == other.children.size &&
        children.zip(other.children).all? { |one, another| one.alike?(another) }
    end

    # Of two that are alike.
    def match_all(other, found)
      found[@sequence] = other.sequence
      children.zip(other.children) { |one, another| one.match_all(another, found) }
      number(other, [])
    end

    # [index of an instruction, index of its entry in the table of lines] each.
    # @raise [Splicing::Different] when the table is not as it is known to be
    def entries
      before = nil
      entry = -1
      found = each_one.each_with_index.map do |one, index|
        now = [one.line, one.node, one.events]
        entry += 1 if now != before
        before = now
        [index, entry]
      end
      raise Splicing::Different unless entry + 1 == Exchange.lines_of(@sequence).size

      found
    end

    protected

    def kind_and_variables
      @data[9..11]
    end

    def code
      @code ||= each_one.map { |one| [one.code, one.line] }
    end

    private

    def read
      nodes = @data[4][:node_ids]
      events = listed_events
      found = []
      line = 0
      begins = false
      @data[13].each do |item|
        case item
        when Integer then line = item
        when :RUBY_EVENT_LINE then begins = true
        when Array
          found << One.new(plain(item), line, nodes[found.size], events[found.size], begins)
          begins = false
        end
      end
      found
    end

    # The events of each instruction: only a listing names them all.
    def listed_events
      listing = @own.disasm
      listing = listing[0, listing.index("\n\n== disasm") || listing.size]
      listing.lines.grep(/\A\d{4,} /).map { |line| line.chomp[EVENTS, 1] }
    end

    def plain(item)
      code, *operands = item
      operands.pop if CACHED.include?(code)
      [code, *operands.map { |operand| same(operand) }]
    end

    def same(operand)
      case operand
      when Symbol then LABEL.match?(operand) ? :label : operand
      when Array then operand.first == 'YARVInstructionSequence/SimpleDataFormat' ? :sequence : operand.map { |part| same(part) }
      else operand
      end
    end

    def calls(item)
      case item
      when Array then item.flat_map { |part| calls(part) }
      when Hash then item.key?(:mid) ? [item] : []
      else []
      end
    end
  end
end
