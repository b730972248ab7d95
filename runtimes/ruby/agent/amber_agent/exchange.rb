# frozen_string_literal: true

require 'fiddle'

module AmberAgent
  # Exchanges the bodies of two instruction sequences: whoever calls the one from then on runs the code of the other.
  # Nothing is redefined, and no call is asked anything.
  #
  # The interpreter has no such function, so this writes into its objects (vm_core.h, iseq.c of Ruby 3.1), and only where a
  # trial on throw-away code has shown that they are laid out as they are known to be.
  module Exchange
    # The versions that the layout below is known of.
    VERSION = '3.1'
    # Of a sequence (rb_iseq_t): its flags, its body, hooks aimed at it, and the events that are traced everywhere.
    FLAGS = 0
    BODY = 16
    HOOKS = 24
    EVENTS = 32
    # The collector looks at the operands of code only with this flag (ISEQ_MARKABLE_ISEQ).
    HOLDS_OBJECTS = 1 << 20
    # Of a body (rb_iseq_constant_body): the number of its node in the syntax tree; the table of lines, and its length; the
    # sequence around it, and that of its method, which may be itself.
    NODE = 96
    LINES = 120
    LINE_COUNT = 136
    PARENT = 168
    METHOD = 176
    # One entry of that table: line, number of the node, events; 32 bits each.
    ENTRY = 12
    LINE_EVENT = 1
    # Errors in the heap of which the traces are looked at; with more nothing is exchanged.
    MOST_ERRORS = 1_000
    TRACE = Exception.instance_method(:backtrace)
    # Seconds within which all must be done: the interpreter changes threads no earlier than after seven tenths in one
    # of the highest priority.
    WITHIN = 0.5
    TRIAL = "def amber_trial(n)\n  [n].map { |m| m + %d }\nend\n"

    # What is exchanged now: live sequence -> the one that has its own body meanwhile.
    @held = {}.compare_by_identity

    class << self
      # Whether this interpreter is one of those on which this is known to work.
      def possible?
        return @possible unless @possible.nil?

        @possible = RUBY_ENGINE == 'ruby' && RUBY_VERSION.start_with?("#{VERSION}.") && Fiddle::SIZEOF_VOIDP == 8 && trial
      rescue Fiddle::DLError, StandardError, ScriptError
        @possible = false
      end

      # Whether nothing goes on that exchanged code would disturb, or be disturbed by.
      def allowed?
        possible? && Ractor.count == 1 && !(defined?(Coverage) && Coverage.running?) &&
          !(defined?(RubyVM::MJIT) && RubyVM::MJIT.enabled?)
      end

      # Whether code has been made for marks in this process.
      def used?
        @used == true
      end

      def held?(sequence)
        @held.key?(sequence)
      end

      # The code that a sequence has of its own, whatever it runs now.
      def own(sequence)
        @held[sequence] || sequence
      end

      # Do what the block does with the collector off and no other thread running, unless something refers to a point in the
      # code of `sequences` (a frame, the trace of one). What nobody holds any more is collected first, where that is the reason.
      # Returns what the block gives, or false.
      def alone(sequences, &block)
        marks = sequences.map { |sequence| ["#{sequence.path}:", ":in `#{sequence.label}'"] }.uniq
        found = attempt(marks, &block)
        return found unless found == :kept

        GC.start(full_mark: false)
        found = attempt(marks, &block)
        found == :kept ? false : found
      end

      # Only within `alone`.
      def swap(sequence, made)
        pointers = [pointer(sequence), pointer(made)]
        unguard(*pointers)
        adopt(*pointers, made)
        flags = pointers.map { |one| word(one, FLAGS) }
        holds = flags.reduce(:|) & HOLDS_OBJECTS
        bodies = pointers.map { |one| word(one, BODY) }
        pointers.each_with_index do |one, at|
          write(one, FLAGS, flags[at] | holds)
          write(one, BODY, bodies[1 - at])
        end
        @used = true
        @held.key?(sequence) ? @held.delete(sequence) : @held[sequence] = made
        true
      end

      # Every sequence within another.
      def inner(sequence)
        found = []
        sequence.each_child { |child| found << child << inner(child) }
        found.flatten
      end

      # The table of lines of a sequence: [line, number of the node, events] each.
      def lines_of(sequence)
        body = word(pointer(sequence), BODY)
        table(body)[0, count(body) * ENTRY].unpack('l*').each_slice(3).to_a
      end

      # The same as it shall be, and the number of the sequence's own node.
      def number(sequence, node, lines)
        body = word(pointer(sequence), BODY)
        Fiddle::Pointer.new(body)[NODE, 4] = [node].pack('l')
        table(body)[0, lines.size * ENTRY] = lines.flatten.pack('l*')
      end

      # Whether no event is traced in a sequence, by whomever.
      def free?(sequence)
        address = pointer(sequence)
        word(address, HOOKS).zero? && word(address, EVENTS).zero?
      end

      private

      def now
        Process.clock_gettime(Process::CLOCK_MONOTONIC)
      end

      # What stands in `made` stands in the sequence that it becomes: variables are looked up from the inside outwards.
      def adopt(becomes, address, made)
        [address, *inner(made).map { |one| pointer(one) }].each do |one|
          body = word(one, BODY)
          [PARENT, METHOD].each { |at| write(body, at, becomes) if word(body, at) == address }
          unguard(one)
        end
      end

      # The collector asks an object for what it holds each time from now on: we write without telling it.
      def unguard(*addresses)
        addresses.each { |one| function('rb_gc_writebarrier_unprotect', Fiddle::TYPE_VOID).call(one) }
      end

      def attempt(marks)
        thread = Thread.current
        priority = thread.priority
        thread.priority = 3
        # From here on this thread has a share of time of its own before it.
        Thread.pass
        began = now
        was_off = GC.disable
        return false unless frames_rest?(marks)
        return :kept unless traces_rest?(marks)

        now - began < WITHIN && yield
      ensure
        GC.enable if was_off == false
        thread.priority = priority if priority
      end

      # Whether no frame runs or is suspended that may be one of these, which are told by file and label.
      def frames_rest?(marks)
        Thread.list.all? { |thread| free_of?(thread.backtrace, marks) } &&
          ObjectSpace.each_object(Fiber).all? { |fiber| !fiber.alive? || free_of?(fiber.backtrace, marks) }
      end

      # Whether no error and no place (Thread::Backtrace::Location) keeps the trace of such a frame: its line is only looked
      # up when it is asked for.
      def traces_rest?(marks)
        ObjectSpace.each_object(Thread::Backtrace::Location).none? { |place| touches?(place.to_s, marks) } && errors_rest?(marks)
      end

      # Errors that were raised, if there are not too many to look at.
      def errors_rest?(marks)
        left = MOST_ERRORS
        ObjectSpace.each_object(Exception).all? { |error| (left -= 1).positive? && free_of?(TRACE.bind_call(error), marks) }
      end

      def free_of?(trace, marks)
        (trace || []).none? { |line| touches?(line, marks) }
      end

      def touches?(line, marks)
        marks.any? { |path, label| line.end_with?(label) && line.start_with?(path) }
      end

      def table(body)
        Fiddle::Pointer.new(word(body, LINES))
      end

      def count(body)
        word(body, LINE_COUNT) & 0xffff_ffff
      end

      def word(address, at)
        Fiddle::Pointer.new(address)[at, 8].unpack1('Q')
      end

      def write(address, at, value)
        Fiddle::Pointer.new(address)[at, 8] = [value].pack('Q')
      end

      def pointer(sequence)
        function('rb_iseqw_to_iseq', Fiddle::TYPE_VOIDP).call(Fiddle.dlwrap(sequence)).to_i
      end

      def function(name, result)
        (@functions ||= {})[name] ||= Fiddle::Function.new(Fiddle::Handle::DEFAULT[name], [Fiddle::TYPE_VOIDP], result, need_gvl: true)
      end

      # Exchanges the code of a method that nobody else knows, there and back.
      def trial
        holder = Module.new
        Quiet.here { holder.module_eval(format(TRIAL, 1), __FILE__, 1) }
        subject = Object.new.extend(holder)
        sequence = RubyVM::InstructionSequence.of(holder.instance_method(:amber_trial))
        made = nil
        Quiet.compile(format(TRIAL, 2), __FILE__).each_child { |child| made = child }
        return false unless [sequence, made].all? { |one| numbered?(one) && inner(one).all? { |block| numbered?(block) && of?(block, one) } }

        results = [subject.amber_trial(1)]
        2.times { results << subject.amber_trial(1) if alone([sequence]) { swap(sequence, made) } }
        results == [[2], [3], [2]]
      end

      # Whether a block says that it stands in a method, and the method that it stands in itself.
      def of?(block, method)
        address = pointer(method)
        body = word(pointer(block), BODY)
        word(body, PARENT) == address && word(body, METHOD) == address && word(word(address, BODY), METHOD) == address
      end

      # Whether the table of lines says what the interpreter itself says of a sequence.
      def numbered?(sequence)
        data = sequence.to_a
        body = word(pointer(sequence), BODY)
        node = Fiddle::Pointer.new(body)[NODE, 4].unpack1('l')
        return false unless node == data[4][:node_id] && count(body).between?(1, data[13].grep(Array).size)

        lines = lines_of(sequence)
        lines.map { |line, _node, _events| line }.uniq == data[13].grep(Integer) &&
          (lines.map { |_line, number, _events| number } - data[4][:node_ids]).empty?
      end
    end
  end
end
