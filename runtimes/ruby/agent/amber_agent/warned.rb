# frozen_string_literal: true

require_relative 'quiet'

module AmberAgent
  # Stopping where a warning is given (`warn`, and the interpreter's own).
  #
  # Ruby hands each one to `Warning.warn`. While such a mark is on that method is ours, and passes everything on to
  # what was there; it is put back with the mark.
  class Warned
    def initialize(session)
      @session = session
      @filters = []
      @before = nil
      @was_singleton = false
    end

    def set(filters)
      @filters = filters
      if !filters.empty? && @before.nil?
        replace
      elsif filters.empty? && @before
        put_back
      end
    end

    # A warning is given in this thread.
    def seen(message, category)
      return if @filters.none? { |filter| filter.matches_category?(category) }

      warning = RuntimeWarning.new(Values.utf8(message).chomp)
      inside = ->(frame) { !frame.native? && !@session.foreign.foreign?(frame.path) }
      project = Stack.frames.any?(&inside)
      @session.stop_here('exception', exception: [warning, 'warning'], from: project ? inside : nil)
    rescue *Faults::OURS => error
      @session.trouble('a warning hook failed', error)
    end

    # What a stop for a warning shows as its error.
    class RuntimeWarning < Exception; end

    private

    def replace
      @was_singleton = Warning.singleton_methods(false).include?(:warn)
      before = @before = Warning.method(:warn)
      ours = self
      Quiet.here do
        Warning.define_singleton_method(:warn) do |message, **options|
          ours.seen(message, options[:category])
          before.call(message, **options)
        end
      end
    end

    def put_back
      before = @before
      @before = nil
      was_singleton = @was_singleton
      Quiet.here do
        if was_singleton
          Warning.define_singleton_method(:warn, before)
        else
          Warning.singleton_class.send(:remove_method, :warn)
        end
      end
    end
  end
end
