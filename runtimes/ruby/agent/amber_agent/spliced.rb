# frozen_string_literal: true

require_relative 'faults'

module AmberAgent
  # What marks call that stand in the program's own code: for each one a method `passed_N`, one for an expression that raises
  # (`failed_N`), and one that says whether what is served here is of the requests that it is for (`wanted_N`).
  #
  # In another Ractor than the first, where marks are not passed, what a mark needs cannot be reached.
  module Spliced
    # A place in a file, as hooks are told where they are.
    Place = Struct.new(:path, :lineno, :binding) do
      def self
        binding.receiver
      end
    end

    # One mark at one line.
    class Point
      def initialize(session, mark, path)
        @session = session
        @stops = session.stops
        @mark = mark
        @place = Place.new(path, mark.line, nil)
        @muted = false
      end

      # Whether its mark is passed elsewhere while it cannot be taken out of the code.
      attr_writer :muted

      def wanted?
        !@muted && @mark.for_request?
      end

      # A thread has passed the line; `values`: those of a logpoint, nothing where one of them raised.
      def passed(values)
        return unless values && !@muted && (@stops.empty? || !paused?)

        stop if @mark.held(values, @place)
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end

      # The same of a mark that only tells its values.
      def told(values)
        @mark.tell(values) if values && !@muted && (@stops.empty? || !paused?)
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end

      # The same of a mark that only counts.
      def count
        @mark.count if !@muted && (@stops.empty? || !paused?)
      end

      def failed(error, binding)
        @mark.raised(error, Place.new(@place.path, @place.lineno, binding)) unless @muted || paused?
      end

      # Calling this is the event in which the thread stops: as in any other, nothing of ours is met meanwhile.
      def stop
        self
      end

      def stop_here
        @session.stop_at_marks([@mark], @place)
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end

      private

      # What a paused thread evaluates passes no marks.
      def paused?
        @stops.key?(Thread.current)
      end
    end

    @next = 0
    # Names that nobody calls any more: the interpreter keeps the name of a method for ever.
    @free = []
    # Threads in which an expression of a mark runs.
    @inside = {}.compare_by_identity

    class << self
      # An expression is about to run in this thread. False where that is within another, whose marks are not passed.
      def enter
        thread = Thread.current
        @inside.key?(thread) ? false : @inside[thread] = true
      rescue Ractor::IsolationError
        false
      end

      def leave
        @inside.delete(Thread.current)
      rescue Ractor::IsolationError
        nil
      end

      # Whether what runs in this thread runs for the expression of a mark.
      def inside?
        !@inside.empty? && @inside.key?(Thread.current)
      end

      # A name for a mark in the code of a file, by which its code calls it.
      def add(session, mark, path)
        name = @free.pop || @next += 1
        instance_variable_set("@point_#{name}", Point.new(session, mark, path))
        class_eval(source(name, mark), __FILE__, __LINE__)
        name
      end

      # @param is_muted whether a mark is passed elsewhere for now
      def mute(name, is_muted)
        instance_variable_get("@point_#{name}").muted = is_muted
      end

      # Nothing calls them any more.
      def remove(names)
        names.each do |name|
          %w[wanted passed failed].each { |verb| singleton_class.send(:remove_method, "#{verb}_#{name}") if respond_to?("#{verb}_#{name}") }
          remove_instance_variable("@point_#{name}")
          @free << name
        end
      end

      # Threads stop in an event. Enabled before any code is exchanged.
      def install
        @stopping ||= TracePoint.new(:call) { |event| event.self.stop_here }.tap do |trace|
          trace.enable(target: RubyVM::InstructionSequence.of(Point.instance_method(:stop)))
        end
      end

      def uninstall
        @stopping&.disable
        @stopping = nil
      end

      private

      def source(name, mark)
        passed =
          if mark.only_counts?
            'count'
          elsif mark.only_tells?
            'told(values)'
          else
            'passed(values)'
          end
        <<~RUBY
          def self.passed_#{name}(values = true)
            @point_#{name}.#{passed}
          rescue ::Ractor::IsolationError
            nil
          end

          def self.failed_#{name}(binding, error = $!)
            @point_#{name}.failed(error, binding)
          rescue ::Ractor::IsolationError
            nil
          end

          def self.wanted_#{name}
            @point_#{name}.wanted?
          rescue ::Ractor::IsolationError
            false
          end
        RUBY
      end
    end
  end
end
