# frozen_string_literal: true

module AmberAgent
  # What an expression may go on with, found without running any of the program's code.
  module Completions
    TAIL = /((?:@{0,2}\$?[[:alpha:]_][[:word:]]*[?!]?(?:\[[[:word:]'":-]*\])?(?:\.|::))*)([@$:]{0,2}[[:word:]]*)\z/
    PART = /@{0,2}\$?[[:alpha:]_][[:word:]]*|\[[^\]]*\]/
    KEYWORDS = %w[self nil true false and or not if unless then else end defined?].freeze
    MOST = 200

    class << self
      # DAP CompletionItems for `text` up to `column` (from 1).
      def complete(binding, text, column)
        match = TAIL.match(text[0, [column - 1, 0].max])
        base = match[1].delete_suffix('.').delete_suffix('::')
        prefix = match[2]
        names = base.empty? ? names_here(binding) : members(binding, base)
        found = names.uniq.select { |name| name.downcase.start_with?(prefix.downcase) }
        found.reject! { |name| name.start_with?('_') } unless prefix.start_with?('_')
        found.first(MOST).map { |name| { 'label' => name, 'start' => match.begin(2), 'length' => prefix.length } }
      end

      private

      def names_here(binding)
        receiver = binding.receiver
        locals = binding.local_variables.map(&:to_s).sort
        held = Values::VARIABLES.bind_call(receiver).map(&:to_s).sort
        own = methods_of(receiver, true)
        constants = constants_of(Values::CLASS.bind_call(receiver))
        locals + held + own + constants + KEYWORDS + global_variables.map(&:to_s).sort
      end

      def members(binding, base)
        value = value_of(binding, base)
        return [] if value.equal?(NOTHING)
        return constants_of(value) + methods_of(value, false) if Module === value

        methods_of(value, false)
      end

      NOTHING = Object.new.freeze
      private_constant :NOTHING

      # The value that a chain of names reaches: by variables, constants and elements, and readers that only read.
      def value_of(binding, base)
        first, *rest = base.scan(PART)
        return NOTHING if first.nil? || !known?(binding, first)

        rest.reduce(binding.eval(first)) do |value, part|
          return NOTHING if value.equal?(NOTHING)

          part.start_with?('[') ? element(binding, value, part) : held(value, part)
        end
      end

      def known?(binding, name)
        case name
        when Evaluate::LOCAL then name == 'self' || binding.local_variable_defined?(name)
        when /\A[[:upper:]]/ then !binding.eval("defined?(#{name})").nil?
        else true
        end
      end

      def element(binding, value, part)
        return NOTHING unless value.instance_of?(Array) || value.instance_of?(Hash)

        value[binding.eval(part[1..-2])]
      end

      def held(value, name)
        return value.const_get(name) if Module === value && name.match?(/\A[A-Z]/) && value.autoload?(name).nil?
        return NOTHING unless Values::VARIABLES.bind_call(value).include?(:"@#{name}")

        Values::VARIABLE.bind_call(value, "@#{name}")
      end

      def methods_of(value, all)
        own = Values::CLASS.bind_call(value)
        near = own.ancestors.take_while { |type| type != Object }
        list = near.flat_map { |type| type.instance_methods(false) + (all ? type.private_instance_methods(false) : []) }
        list += value.singleton_methods if Module === value
        list.map(&:to_s).grep(/\A[[:alpha:]_][[:word:]]*[?!]?\z/).sort
      end

      def constants_of(type)
        near = type.ancestors.take_while { |other| other != Object }
        (near + [Object]).flat_map { |other| other.constants(false) }.map(&:to_s).sort
      end
    end
  end
end
