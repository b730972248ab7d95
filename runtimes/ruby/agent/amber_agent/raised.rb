# frozen_string_literal: true

require_relative 'rescues'

module AmberAgent
  # One exception filter: `raised` or `uncaught`, for some types or (none given) for all.
  class Filter
    QUIET = [StopIteration, UncaughtThrowError].freeze

    attr_reader :kind

    def initialize(kind, condition)
      @kind = kind
      @types = (condition || '').split(',').map(&:strip).reject(&:empty?)
    end

    def matches?(error)
      return QUIET.none? { |type| type === error } if @types.empty?

      error.class.ancestors.any? { |type| type.name && (@types.include?(type.name) || @types.include?(type.name.split('::').last)) }
    end

    # The same for a warning, whose type is its category.
    def matches_category?(category)
      @types.empty? || @types.include?(category.to_s)
    end
  end

  # Stopping where an error is raised.
  #
  # `raised`: any error that reaches the project's code. `uncaught`: one that no code of the project catches, which is
  # a prediction from the `rescue` clauses around the lines that are running. The event costs nothing elsewhere.
  class Raised
    def initialize(session)
      @session = session
      @filters = []
      @trace = nil
      @last = ObjectSpace::WeakMap.new
      @rescues = Rescues.new
    end

    # Whether errors are looked at.
    def on?
      !@filters.empty?
    end

    def set(filters)
      @filters = filters
      if filters.empty?
        @trace&.disable
        @trace = nil
      elsif @trace.nil?
        @trace = TracePoint.new(:raise) { |event| seen(event) }
        @trace.enable
      end
    end

    private

    def seen(event)
      error = event.raised_exception
      return if error.is_a?(Cancelled) || Thread.current == @session.serving || event.path.start_with?(FOLDER)

      # Raised again on its way out, it was seen where it was raised first.
      return if @last[Thread.current] == error.__id__

      filter = @filters.find { |candidate| candidate.matches?(error) }
      return if filter.nil?

      @last[Thread.current] = error.__id__
      frames = Stack.frames
      filter = @filters.find { |candidate| candidate.matches?(error) && concerns?(candidate, frames, error) }
      @session.stop_here('exception', exception: [error, filter.kind]) if filter
    rescue *Faults::OURS => trouble
      @session.trouble('an error hook failed', trouble)
    end

    def concerns?(filter, frames, error)
      project = false
      frames.each do |frame|
        next if frame.native?

        foreign = @session.foreign.foreign?(frame.path)
        project ||= !foreign
        next unless @rescues.catches?(frame, error)

        # A library that handles its own error is nobody's business.
        return project && (filter.kind == 'raised' || (foreign && frames.none? { |other| !other.native? && @rescues.declared?(other, error) }))
      end
      project
    end
  end
end
