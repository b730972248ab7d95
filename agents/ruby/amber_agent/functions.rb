# frozen_string_literal: true

require_relative 'lines'

module AmberAgent
  # Methods by name: `Class#method`, `Class.method`, or `method` for any of the project.
  module Functions
    FORM = /\A(?:((?:::)?[[:upper:]][[:word:]]*(?:::[[:upper:]][[:word:]]*)*)([#.]))?([^\s#.]+)\z/

    class << self
      # [[path, first line of the body, [first line, last line]]…]
      def named(name, foreign)
        match = FORM.match(name.strip)
        return [] if match.nil?

        owner, kind, method = match.captures
        (owner ? of_class(owner, kind, method) : anywhere(method, foreign)).uniq
      end

      # A constant that is there already, a class or a module, or nil: looking must load nothing.
      def constant(name)
        found = name.delete_prefix('::').split('::').reduce(Object) do |scope, part|
          return nil if scope.autoload?(part) || !scope.const_defined?(part)

          scope.const_get(part)
        end
        Module === found ? found : nil
      end

      private

      def of_class(owner, kind, method)
        type = constant(owner)
        return [] if type.nil?

        found = kind == '#' ? type.instance_method(method) : type.method(method)
        place = place_of(found)
        place ? [place] : []
      rescue NameError
        []
      end

      def place_of(method)
        iseq = RubyVM::InstructionSequence.of(method)
        line = iseq && Lines.first_of(iseq)
        line && [iseq.absolute_path || File.expand_path(iseq.path), line, Lines.extent_of(iseq)]
      end

      def anywhere(method, foreign)
        foreign.project_units.flat_map do |unit|
          inside(unit.iseq, method).map { |line, extent| [unit.file, line, extent] }
        end
      end

      def inside(iseq, method)
        found = []
        iseq.each_child do |child|
          is_method = child.trace_points.any? { |_line, event| event == :call }
          line = is_method && child.base_label == method ? Lines.first_of(child) : nil
          found << [line, Lines.extent_of(child)] if line
          found.concat(inside(child, method))
        end
        found
      end
    end
  end
end
