# frozen_string_literal: true

module AmberAgent
  # TracePoints aimed at one piece of code, and at all that stands in it.
  module Aimed
    # One that is enabled, or nil for code without a line of its own.
    def self.at(iseq, *events, &block)
      trace = TracePoint.new(*events, &block)
      trace.enable(target: iseq)
      trace
    rescue ArgumentError
      nil
    end
  end
end
