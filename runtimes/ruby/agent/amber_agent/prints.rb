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
    DEPTH = Values::DEPTH
    MOST = 50
    # Bytes of a text that is kept as it is.
    LONGEST = 1_000

    # Of an array or a hash with nothing but numbers and texts in it, as deep as it goes: what the interpreter itself sees
    # it by. As long as that is so, there is no need to go through it again.
    Simple = Struct.new(:kind, :seen)

    class << self
      # The print of a value, to be compared by `eql?`; the very `before` where it is still as it was when that was taken.
      # `width`: of texts, where there are any.
      def of(value, width, before = nil)
        if Array === value || Hash === value
          seen = value.hash if Simple === before && value.instance_of?(before.kind) && value.size <= MOST
          return before if seen && before.seen == seen
          return Simple.new(Values::CLASS.bind_call(value), seen || value.hash) if simple?(value, DEPTH)
        end
        now = print(value, DEPTH, width)
        now.eql?(before) ? before : now
      rescue StandardError, SystemStackError
        # Somebody else has written into it meanwhile: it is like no other.
        Object.new
      end

      private

      # Asked of the interpreter's own classes only: what is made of them may have a `hash` of its own.
      def simple?(value, depth)
        case value
        when Integer, Symbol, nil, true, false, Float then true
        when String then value.instance_of?(String)
        when Array
          depth.positive? && value.instance_of?(Array) && value.size <= MOST && value.all? { |item| simple?(item, depth - 1) }
        when Hash
          depth.positive? && value.instance_of?(Hash) && value.size <= MOST &&
            value.all? { |key, item| simple?(key, depth - 1) && simple?(item, depth - 1) }
        else false
        end
      end

      def print(value, depth, width)
        # What most values are comes first.
        case value
        when Integer, Symbol, nil, true, false, Float then value
        when String then text(value)
        when Array then [:array, value.size, members(value.size > MOST ? value.first(MOST) : value, depth, width)]
        when Hash then [:hash, value.size, members(value.size > MOST ? value.first(MOST).flatten(1) : value.flatten, depth, width)]
        when Set then [:set, value.size, members(value.first(MOST), depth, width)]
        when Struct then [Values.type_name(value), members(value.to_a.first(MOST), depth, width)]
        else object(value, depth, width)
        end
      end

      # Of a text that may be changed a copy, which shares its bytes until then.
      def text(value)
        return value if value.frozen? && value.bytesize <= LONGEST

        value.bytesize <= LONGEST ? value.dup.freeze : [value.bytesize, value.hash]
      end

      def members(values, depth, width)
        return nil if depth.zero?

        values.map { |value| Integer === value || Symbol === value ? value : print(value, depth - 1, width) }
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
