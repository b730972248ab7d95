# frozen_string_literal: true

module AmberAgent
  # One step of one thread, by TracePoints aimed at the code where it can end; they are gone at its end.
  #
  # `over` and `out` end in a frame that is on the stack now, or in a block that belongs to the method that is stepped:
  # the body of an iterator is stepped one pass at a time, like that of a loop; a block on one line is part of the
  # expression that it stands in. `into` ends at the next line of the
  # project's code (with `anywhere`: of any code), wherever it is.
  class Stepper
    EVENTS = %i[line return b_return].freeze

    def initialize(session, stop, action)
      @session = session
      @thread = stop.thread
      @mode = action.mode
      frames = stop.frames
      origin = frames.first
      @anywhere = action.anywhere || foreign?(origin)
      @depth = frames.size
      @path = origin.written_path
      @method = origin.method
      @line = origin.line
      @fresh = true
      @outer = outer_depths(frames)
      @targets = targets(frames)
      @traces = []
    end

    # Start, in the thread that is to step.
    def install
      @traces = @targets.filter_map do |iseq|
        Aimed.at(iseq, *EVENTS) { |event| passed(event) if Thread.current == @thread }
      end
    end

    # Whether events are aimed at code for it.
    def on?
      !@traces.empty?
    end

    # End, from any thread.
    def remove
      traces = @traces
      @traces = []
      traces.each(&:disable)
    end

    private

    def foreign?(frame)
      @session.foreign.foreign?(frame.path)
    end

    # The depths of the frames further out in which the step may end.
    def outer_depths(frames)
      frames.each_index.drop(1).reject { |index| frames[index].native? || !@anywhere && foreign?(frames[index]) }
            .to_h { |index| [frames.size - index, frames[index]] }
    end

    def targets(frames)
      if @mode == 'into'
        return aims(@anywhere ? Recorder.units : @session.foreign.project_units)
      end
      kept = @outer.values
      kept += [frames.first] if @mode == 'over'
      widest(kept.filter_map(&:iseq))
    end

    # Code that stands in other code of the list is reached with it.
    def widest(iseqs)
      paths = iseqs.map(&:path)
      roots = aims(Recorder.units.select { |unit| paths.include?(unit.iseq.path) })
      iseqs.reject { |iseq| roots.any? { |root| root.path == iseq.path } } + roots
    end

    def aims(units)
      units.flat_map { |unit| @session.binder.aims(unit) }
    end

    def passed(event)
      return if @traces.empty?

      event.event == :line ? at_line(event) : at_return
    rescue *Faults::OURS => error
      remove
      @session.trouble('a step failed', error)
    end

    def at_line(event)
      return unless @mode == 'into' || ends_at?(event)

      remove
      @session.stop_after_step(event)
    end

    def ends_at?(event)
      depth = Stack.depth
      if depth == @depth && event.path == @path && same_method?
        return false if @mode == 'out'
        # A line may hold several statements, and their blocks.
        return false if @fresh && event.lineno == @line

        return true
      end
      return @outer.key?(depth) && @outer[depth].written_path == event.path if depth < @depth

      @mode == 'over' && depth > @depth && event.lineno != @line && event.path == @path && !inline?(event) && block_of_ours?(depth)
    end

    def inline?(event)
      unit = Recorder.of(Recorder.absolute(event.path)).last
      !unit.nil? && @session.binder.lines_of(unit).inline?(event.lineno)
    end

    def same_method?
      innermost.base_label == @method
    end

    # Whether the innermost frame is a block of the method that is stepped, called by it, and not by a call of the
    # same method further in.
    def block_of_ours?(depth)
      inner = program_locations.first(depth - @depth)
      inner.first.base_label == @method && inner.first.label.start_with?('block ') &&
        inner.drop(1).none? { |location| location.base_label == @method && location.path == @path && !location.label.start_with?('block ') }
    end

    def innermost
      program_locations.first
    end

    def program_locations
      caller_locations(1).drop_while { |location| location.path.start_with?(FOLDER) }
    end

    def at_return
      return unless Stack.depth == @depth && same_method?

      @fresh = false
      # Nothing of the project is left to step to: the thread just runs on.
      remove if @outer.empty?
    end
  end
end
