# frozen_string_literal: true

require_relative 'lines'

module AmberAgent
  # Methods by name: `Class#method`, `Class.method`, or `method` for any of the project.
  module Functions
    FORM = /\A(?:((?:::)?[[:upper:]][[:word:]]*(?:::[[:upper:]][[:word:]]*)*)([#.]))?([^\s#.]+)\z/

    # How the interpreter labels the body of a class or a module.
    CLASS = /\A<(?:class|module):(.+)>\z/

    class << self
      # Every method of a name: [[path, first line of the body, [first line, last line]]…]
      def named(name, foreign)
        owner, kind, method = parts(name)
        return [] if method.nil?

        found = owner ? of_class(owner, kind, method) : []
        found.concat(newest(foreign).flat_map { |unit| places_in(unit, owner, method) }) if found.empty?
        found.uniq
      end

      # The same of a piece of code that is about to run: its methods are not there yet.
      def named_in(unit, name)
        owner, _kind, method = parts(name)
        method ? places_in(unit, owner, method).uniq : []
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
        line && [iseq.absolute_path || Recorder.name_of(iseq.path), line, Lines.extent_of(iseq)]
      end

      # Owner, `#` or `.`, and method of a name.
      def parts(name)
        FORM.match(name.strip)&.captures || []
      end

      # The project's code, of a file that was loaded again only what it is now.
      def newest(foreign)
        foreign.project_units.group_by { |unit| unit.number ? unit : unit.file }.values.map(&:last)
      end

      def places_in(unit, owner, method)
        inside(unit.iseq, owner&.delete_prefix('::'), method, '').map { |line, extent| [unit.file, line, extent] }
      end

      # @param around the classes and modules that the code stands in, as `::Office::Desk`
      def inside(iseq, owner, method, around)
        found = []
        iseq.each_child do |child|
          is_method = child.trace_points.any? { |_line, event| event == :call }
          is_meant = is_method && child.base_label == method && (owner.nil? || around.end_with?("::#{owner}"))
          line = is_meant ? Lines.first_of(child) : nil
          found << [line, Lines.extent_of(child)] if line
          type = CLASS.match(child.label)
          found.concat(inside(child, owner, method, type ? "#{around}::#{type[1]}" : around))
        end
        found
      end
    end
  end
end
