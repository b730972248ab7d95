# frozen_string_literal: true

require_relative 'inspection'
require_relative 'quiet'

module AmberAgent
  # A file's methods as they are in another text: those that differ are defined anew, in the classes and modules that are
  # there, with the visibility that they have. Calls under way end as they began; what the file does when it is loaded is
  # not done again.
  module Reloading
    # A method in the text: the classes and modules around it as they are written (`class Desk`), the name of the innermost
    # ('' for none), whether the method is its owner's own, its text and first line, and what the interpreter makes of it.
    Definition = Struct.new(:around, :owner, :name, :singleton, :text, :line, :code)
    VISIBLE = %i[private protected].freeze
    # What a file says of all its texts (Ruby's "magic comments").
    LITERALS = /\A(?:#.*\n)*# frozen_string_literal: true\n/

    class << self
      # @return how many methods are others now; of those that could not be taken over the name and the reason
      # @raise [Refused]
      def reload(path, text)
        raise Refused.new('notLoaded', "the program has not loaded #{path}") if Recorder.of(path).empty?

        definitions = definitions_in(path, text)
        @literals = LITERALS.match?(text)
        count = 0
        left = {}
        definitions.each do |definition|
          reason = take(path, definition)
          reason.nil? ? count += 1 : reason.empty? || left[called(definition)] = reason
        end
        { 'functions' => count, 'left' => left.map { |name, reason| { 'name' => name, 'reason' => reason } } }
      end

      private

      # nil where it was defined anew, '' where it is the same, else the reason why it was not.
      def take(path, definition)
        owner = definition.owner.empty? ? Object : Functions.constant(definition.owner)
        return "there is no #{definition.owner} yet" if owner.nil?

        target = definition.singleton ? owner.singleton_class : owner
        method = method_of(target, definition.name)
        return 'it is new: it comes with the next load of the file' if method.nil?
        return "it is defined in another file: #{method.source_location&.first}" unless from?(method, path)
        return '' if same?(RubyVM::InstructionSequence.of(method), definition.code)

        define(path, owner, target, definition)
        nil
      end

      def method_of(target, name)
        target.instance_method(name) if target.method_defined?(name, false) || target.private_method_defined?(name, false)
      end

      def from?(method, path)
        file = method.source_location&.first
        !file.nil? && (file == path || Recorder.absolute(file) == path)
      end

      def define(path, owner, target, definition)
        visibility = VISIBLE.find { |kind| target.public_send("#{kind}_method_defined?", definition.name, false) }
        # `module_function` has made a copy of it.
        copied = !definition.singleton && owner.singleton_class.method_defined?(definition.name, false)
        Quiet.here do
          Recorder.as_part(definition.line..(definition.line + definition.text.count("\n"))) do
            TOPLEVEL_BINDING.eval(written(definition), path, definition.line - (@literals ? 1 : 0))
          end
          target.send(visibility, definition.name) if visibility
          owner.send(:module_function, definition.name) if copied && owner.instance_of?(Module)
        end
      end

      # Constants are looked up in what is around it, so that stands there, on its first line.
      def written(definition)
        around = definition.around
        "#{"# frozen_string_literal: true\n" if @literals}#{around.map { |head| "#{head};" }.join}#{definition.text}#{';end' * around.size}"
      end

      # Whether code is the same, with the lines on which it stands.
      def same?(one, other)
        one && parts(one) == parts(other)
      end

      # RubyVM::InstructionSequence#to_a: what it is called and where it stands comes before its locals.
      def parts(code)
        whole = code.to_a
        [whole[8], whole[5], *whole[9..]]
      end

      def called(definition)
        "#{definition.owner}#{definition.singleton ? '.' : '#'}#{definition.name}".delete_prefix('#')
      end

      def definitions_in(path, text)
        whole = Quiet.compile(text, path)
        found = []
        collect(Quiet.tree(text), [], '', text.lines, found)
        codes = methods_in(whole, {})
        found.each { |definition| definition.code = codes[[definition.name.to_s, definition.line]] }.select(&:code)
      rescue SyntaxError => error
        line = error.message[/:(\d+):/, 1]
        raise Refused.new('refused', "the text is no Ruby: #{error.message.lines.first.to_s.sub(/\A.*?:\d+:\s*/, '').strip}#{" on line #{line}" if line}")
      end

      # Methods by their names and first lines.
      def methods_in(iseq, found)
        iseq.each_child do |child|
          found[[child.base_label, child.to_a[8]]] = child if child.trace_points.any? { |_line, event| event == :call }
          methods_in(child, found)
        end
        found
      end

      def collect(node, around, owner, lines, found)
        return unless node.is_a?(RubyVM::AbstractSyntaxTree::Node)

        case node.type
        when :CLASS, :MODULE
          name = constant_in(node.children.first)
          inside = name.start_with?('::') || owner.empty? ? name.delete_prefix('::') : "#{owner}::#{name}"
          inner = [*around, "#{node.type.downcase} #{name}"]
          node.children.drop(1).each { |child| collect(child, inner, inside, lines, found) }
        when :DEFN
          found << definition(around, owner, node.children.first, false, node, lines)
        when :DEFS
          found << definition(around, owner, node.children[1], true, node, lines) if node.children.first.type == :SELF
        when :SCLASS, :LAMBDA, :ITER
          # What is defined there may be anybody's.
          nil
        else
          node.children.each { |child| collect(child, around, owner, lines, found) }
        end
      end

      def definition(around, owner, name, singleton, node, lines)
        rows = lines[(node.first_lineno - 1)..(node.last_lineno - 1)].map(&:dup)
        # Columns are counted in bytes; the end first, since both may be on one line.
        rows[-1] = rows[-1].byteslice(0, node.last_column)
        rows[0] = rows[0].byteslice(node.first_column..)
        Definition.new(around, owner, name, singleton, rows.join, node.first_lineno)
      end

      def constant_in(node)
        case node.type
        when :COLON2 then [node.children.first && constant_in(node.children.first), node.children.last].compact.join('::')
        when :COLON3 then "::#{node.children.first}"
        else node.children.first.to_s
        end
      end
    end
  end
end
