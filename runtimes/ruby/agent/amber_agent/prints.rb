# frozen_string_literal: true

require 'set'
require_relative 'values'

module AmberAgent
  # By what it is seen whether a value is still as it was: cheaper than its text, and of the program nothing but numbers
  # and texts is kept alive for it.
  #
  # A print covers what the text of a value shows of it, as deep and as wide. Where only the type itself knows what it
  # shows (one with an `inspect` of its own) it is the text.
  module Prints
    # As deep as a text goes, and as many members of each container.
    DEPTH = 3
    MOST = 50
    # Bytes of a text that is kept as it is.
    LONGEST = 1_000

    class << self
      # The print of a value, to be compared by `eql?`. `width`: of texts, where there are any.
      def of(value, width)
        print(value, DEPTH, width)
      rescue StandardError, SystemStackError
        # Somebody else has written into it meanwhile: it is like no other.
        Object.new
      end

      private

      def print(value, depth, width)
        case value
        when nil, true, false, Integer, Float, Symbol then value
        when String then text(value)
        when Array then [:array, value.size, members(value.first(MOST), depth, width)]
        when Hash then [:hash, value.size, members(value.first(MOST).flatten(1), depth, width)]
        when Set then [:set, value.size, members(value.first(MOST), depth, width)]
        when Struct then [Values.type_name(value), members(value.to_a.first(MOST), depth, width)]
        else object(value, depth, width)
        end
      end

      # Of a text that may be changed a copy, which shares its bytes until then.
      def text(value)
        value.bytesize <= LONGEST ? value.dup.freeze : [value.bytesize, value.hash]
      end

      def members(values, depth, width)
        return nil if depth.zero?

        values.map { |value| print(value, depth - 1, width) }
      end

      # Whether its text is that of its instance variables.
      def plain?(value)
        !(Module === value) && Values::PLAIN_INSPECT.include?(Values::METHOD.bind_call(value, :inspect).owner)
      rescue NameError
        false
      end

      def object(value, depth, width)
        return Values.text_of(value, width) unless plain?(value)

        names = Values::VARIABLES.bind_call(value)
        held = names.first(MOST).map { |name| Values::VARIABLE.bind_call(value, name) }
        [Values.type_name(value), names, members(held, depth, width)]
      end
    end
  end
end
