# frozen_string_literal: true

require 'json'
require 'fiddle'

module AmberAgent
  # An error in a hook of ours never reaches the program; what another thread raises in the one that runs the hook
  # (a timeout, an interrupt, an error of the program's own) must. Both look the same from inside, but for their
  # class: a defect of ours shows as one of these, and nobody raises these in another thread.
  module Faults
    OURS = [
      NameError, TypeError, ArgumentError, IndexError, RangeError, FrozenError, EncodingError, RegexpError,
      ZeroDivisionError, IOError, SystemCallError, ThreadError, FiberError, NotImplementedError, SystemStackError,
      SyntaxError, JSON::JSONError, Fiddle::DLError
    ].freeze

    def self.ours?(error)
      OURS.any? { |kind| kind === error }
    end
  end
end
