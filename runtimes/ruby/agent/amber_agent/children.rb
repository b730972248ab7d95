# frozen_string_literal: true

require_relative 'values'

module AmberAgent
  # One child of a value: its name, the value, and the expression that reaches it (or nil).
  Child = Struct.new(:name, :value, :path, :private)

  # A node that only holds other names together (what is special, folded under one).
  Group = Struct.new(:children)

  # What values hold, in pages.
  module Children
    # Children sent at once to a client that does not ask for pages.
    PAGE = 1000
    SIMPLE_KEYS = [Symbol, String, Integer, Float, NilClass, TrueClass, FalseClass].freeze

    class << self
      # How many named and how many numbered children `value` has.
      def counts(value)
        case value
        when Group then [value.children.size, 0]
        when Hash then [value.size + variables(value).size, 0]
        when Array, Set then [variables(value).size, value.size]
        when Struct then [value.size + variables(value).size, 0]
        when Module then [0, 0]
        else [named(value, nil).size, 0]
        end
      end

      # A page of the children of `value`. `path` is the expression that reaches `value`, or nil; `kind` is `named`,
      # `indexed` or both (''), where named children come first.
      def page(value, path, start, count, kind)
        found = []
        held, = counts(value)
        if kind != 'indexed'
          found.concat(named_page(value, path, start, count))
          start = [0, start - held].max
          count -= found.size
        end
        found.concat(items(value, path, start, count)) if kind != 'named' && count.positive?
        found
      end

      private

      def named_page(value, path, start, count)
        return named(value, path)[start, count] || [] unless Hash === value

        own = variables(value, path)
        found = own[start, count] || []
        skipped = [0, start - own.size].max
        # In one go: another thread could put nothing into it meanwhile.
        entries = value.first(skipped + count - found.size).drop(skipped)
        found + entries.map { |key, item| entry(key, item, path) }
      end

      def entry(key, item, path)
        text = Values.text_of(key, 60)
        simple = SIMPLE_KEYS.any? { |kind| kind === key } && key.inspect.size < 200
        Child.new(text, item, path && simple ? "#{path}[#{key.inspect}]" : nil)
      end

      def items(value, path, start, count)
        case value
        when Array then numbered(value[start, count] || [], start, path)
        when Set then numbered(value.first(start + count).drop(start), start, nil)
        else []
        end
      end

      def numbered(items, start, path)
        items.each_with_index.map do |item, index|
          number = start + index
          Child.new("[#{number}]", item, path && "#{path}[#{number}]")
        end
      end

      def named(value, path)
        case value
        when Group then value.children
        when Struct then value.members.map { |name| Child.new(name.to_s, value[name], path && "#{path}.#{name}") } + variables(value, path)
        when Range then [Child.new('begin', value.begin, path && "#{path}.begin"), Child.new('end', value.end, path && "#{path}.end")]
        when Exception then error(value, path) + variables(value, path)
        else data(value, path) + variables(value, path)
        end
      end

      # Members of a value object (Data, from Ruby 3.2), whose readers are the interpreter's own.
      def data(value, path)
        return [] unless defined?(::Data) && ::Data.respond_to?(:define) && ::Data === value

        value.to_h.map { |name, item| Child.new(name.to_s, item, path && "#{path}.#{name}") }
      end

      def error(value, path)
        [
          Child.new('message', value.message, path && "#{path}.message"),
          Child.new('cause', value.cause, path && "#{path}.cause"),
          Child.new('backtrace', value.backtrace, path && "#{path}.backtrace")
        ].reject { |child| child.value.nil? }
      end

      def variables(value, path = nil)
        case value
        when nil, true, false, Integer, Float, Symbol, Module, Proc then return []
        end
        names = Values::VARIABLES.bind_call(value)
        # Where a set keeps its members.
        names -= [:@hash] if Set === value
        names.map do |name|
          reached = path && "#{path}.instance_variable_get(:#{name})"
          Child.new(name.to_s, Values::VARIABLE.bind_call(value, name), path == 'self' ? name.to_s : reached, true)
        end
      end
    end
  end
end
