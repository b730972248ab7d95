# frozen_string_literal: true

module AmberAgent
  # What the code between two lines of a sequence may do to the variables that it sees, from its instructions: which it
  # assigns, and whether it calls anything, which may change what any of them holds.
  #
  # Operators, readers of members and the like count as calls of nothing. Where they do change something nevertheless, that
  # is seen at the next line that calls.
  class Effects
    # Of one line: names that may be assigned until the next, whether anything is called, and which lines may be next.
    Line = Struct.new(:assigned, :calls, :following)

    CALLING_NOTHING = %i[
      nop getlocal getlocal_WC_0 getlocal_WC_1 getblockparamproxy getconstant getglobal getspecial getinstancevariable
      opt_getinlinecache opt_setinlinecache opt_getconstant_path putnil putself putobject putobject_INT2FIX_0_
      putobject_INT2FIX_1_ putspecialobject putstring putchilledstring concatstrings anytostring newarray newhash newrange
      duparray duphash expandarray splatarray pop dup dupn swap topn setn adjuststack intern toregexp checktype checkmatch
      checkkeyword jump branchif branchunless branchnil leave opt_plus opt_minus opt_mult opt_div opt_mod opt_eq opt_neq opt_lt
      opt_le opt_gt opt_ge opt_and opt_or opt_not opt_aref opt_aref_with opt_length opt_size opt_empty_p opt_nil_p opt_succ
      opt_regexpmatch2 opt_str_freeze opt_str_uminus opt_case_dispatch opt_newarray_max opt_newarray_min opt_newarray_send
    ].to_h { |code| [code, true] }.freeze
    # Code, and how many frames out the variable stands where the instruction does not say.
    ASSIGNING = { setlocal: nil, setblockparam: nil, setlocal_WC_0: 0, setlocal_WC_1: 1 }.freeze
    NOT_GOING_ON = %i[jump leave throw].freeze
    LABEL = /\Alabel_\d+\z/
    # Words of the interpreter for what comes before the first variable of a frame (VM_ENV_DATA_SIZE).
    BEFORE_VARIABLES = 3
    INSTANCE_VARIABLES = %i[getinstancevariable setinstancevariable].freeze
    MOST_NAMED = 20
    # Calls after which any variable may be another.
    OPAQUE = %i[binding eval instance_eval class_eval module_eval].freeze

    # `around`: the sequence, and those whose variables it sees, from the inside outwards.
    def initialize(around)
      @data = around.map(&:to_a)
      @tables = @data.map { |data| data[10] }
      @code = []
      @labels = {}
      read(@data[0][13])
      handlers, blocks = children.partition { |data| %i[rescue ensure].include?(data[9]) }
      @by_handlers = handlers.flat_map { |data| names_out_of(data, 1) }.uniq
      @by_blocks = blocks.flat_map { |data| names_out_of(data, 1) }.uniq
      @is_opaque = @data.any? { |data| opaque?(data[13]) || opaque?(data[12]) }
    end

    # What a line does; nil where that is not known.
    def line(number)
      starts = @code.each_index.select { |index| @code[index].begins == number }
      return nil if starts.empty? || @is_opaque

      found = Line.new([], false, [])
      starts.each { |start| go(start, found) }
      return nil if found.assigned.include?(nil)

      found.assigned.concat(@by_handlers)
      found.assigned.concat(@by_blocks) if found.calls
      found.assigned.uniq!
      found
    end

    # Instance variables that the method names, blocks included; their values may change by themselves.
    def instance_variables_named
      @instance_variables_named ||= named_in(@data.last).uniq.first(MOST_NAMED)
    end

    # Whether the sequence may begin with a line.
    def begins?(number)
      found = Line.new([], false, [])
      go(0, found, nil)
      found.following.include?(number)
    end

    private

    # An instruction, and the number of the line that begins with it.
    One = Struct.new(:code, :operands, :begins)

    def read(items)
      line = begins = nil
      items.each do |item|
        case item
        when Integer then line = item
        when :RUBY_EVENT_LINE then begins = line
        when Symbol then @labels[item] = @code.size
        when Array
          @code << One.new(item[0], item.drop(1), begins)
          begins = nil
        end
      end
    end

    # From an instruction on to the lines that follow. `start`: the line that begins there is not one of them.
    def go(from, found, start = from)
      seen = {}
      left = [from]
      while (index = left.pop)
        one = @code[index]
        next if one.nil? || seen[index]

        seen[index] = true
        if one.begins && index != start
          found.following |= [one.begins]
          next
        end
        take(one, found)
        left.concat(targets(one.operands))
        left << (index + 1) unless NOT_GOING_ON.include?(one.code)
      end
    end

    def take(one, found)
      if ASSIGNING.key?(one.code)
        found.assigned << name_at(one.operands[0], ASSIGNING[one.code] || one.operands[1], @tables)
      elsif !CALLING_NOTHING.key?(one.code)
        found.calls = true
      end
    end

    def targets(operands)
      operands.flat_map do |operand|
        case operand
        when Symbol then LABEL.match?(operand) ? [@labels[operand]].compact : []
        # The last of a `case`, with its values and where they go. A sequence has labels of its own.
        when Array then operand.first.is_a?(String) ? [] : targets(operand)
        else []
        end
      end
    end

    def name_at(index, level, tables)
      table = tables[level]
      name = table && table[table.size + BEFORE_VARIABLES - 1 - index]
      name if name.is_a?(Symbol)
    end

    # Sequences that stand in this one, as data.
    def children
      inner(@data[0][12]) + inner(@data[0][13])
    end

    def inner(part)
      return [] unless part.is_a?(Array)
      return [part] if part.first == 'YARVInstructionSequence/SimpleDataFormat'

      part.flat_map { |one| inner(one) }
    end

    # Names that a sequence which stands in this one, and what stands in that, may assign out here. `depth`: how far inside.
    def names_out_of(data, depth)
      own = data[13].grep(Array).filter_map do |code, index, level|
        next unless ASSIGNING.key?(code)

        out = (ASSIGNING[code] || level) - depth
        name_at(index, out, @tables) if out >= 0
      end
      own + (inner(data[12]) + inner(data[13])).flat_map { |child| names_out_of(child, depth + 1) }
    end

    def named_in(data)
      own = data[13].grep(Array).filter_map { |code, name| name if INSTANCE_VARIABLES.include?(code) }
      own + (inner(data[12]) + inner(data[13])).flat_map { |child| named_in(child) }
    end

    def opaque?(part)
      case part
      when Array then part.any? { |one| opaque?(one) }
      when Hash then OPAQUE.include?(part[:mid])
      else false
      end
    end
  end
end
