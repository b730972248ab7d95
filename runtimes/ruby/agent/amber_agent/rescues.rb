# frozen_string_literal: true

require_relative 'quiet'

module AmberAgent
  # Which lines are guarded by a `rescue`, read from the source: a prediction, not knowledge.
  class Rescues
    # A guarded range of lines, and the names of the types that its clauses catch.
    Guard = Struct.new(:first, :last, :types)

    def initialize
      @guards = {}
    end

    # Whether the code of `frame` catches `error` where it stands.
    def catches?(frame, error)
      guards_of(frame.path).any? do |guard|
        frame.line.between?(guard.first, guard.last) && guard.types.any? { |type| type_matches?(frame, type, error) }
      end
    end

    # Whether a framework that catches `error` in `frame` has been told by the project how to handle it: `rescue_from`, which
    # ActiveSupport::Rescuable keeps as names of types with their handlers.
    def declared?(frame, error)
      object = frame.binding.receiver
      return false unless Object === object && object.class.respond_to?(:rescue_handlers)

      names = error.class.ancestors.map(&:name)
      object.class.rescue_handlers.any? { |type, _handler| names.include?(type.to_s) }
    rescue StandardError, ScriptError
      false
    end

    private

    def guards_of(path)
      @guards[path] ||= begin
        # Text that was evaluated may bear the name of the file that it stands in; the lines are those of the file then.
        text = File.file?(path) ? File.read(path, encoding: Encoding::UTF_8) : Recorder.evaluated(path)&.content
        text.nil? ? [] : find(Quiet.tree(text), [])
      rescue SystemCallError, SyntaxError, NotImplementedError, ArgumentError
        []
      end
    end

    def find(node, found)
      return found unless node.is_a?(RubyVM::AbstractSyntaxTree::Node)

      if node.type == :RESCUE
        body, clause, = node.children
        found << Guard.new(body.first_lineno, body.last_lineno, types_of(clause)) if body
      end
      node.children.each { |child| find(child, found) }
      found
    end

    # The types of all clauses of one `begin`: names, and '' for what a clause without any catches.
    def types_of(clause)
      types = []
      while clause.is_a?(RubyVM::AbstractSyntaxTree::Node) && clause.type == :RESBODY
        list, _body, clause = clause.children
        types.concat(list.nil? ? [''] : names_in(list))
      end
      types
    end

    def names_in(list)
      list.children.filter_map { |node| name_of(node) }
    end

    def name_of(node)
      return nil unless node.is_a?(RubyVM::AbstractSyntaxTree::Node)

      case node.type
      when :CONST then node.children.first.to_s
      when :COLON3 then "::#{node.children.first}"
      when :COLON2
        outer, name = node.children
        outer_name = name_of(outer)
        outer_name && "#{outer_name}::#{name}"
      end
    end

    def type_matches?(frame, type, error)
      return StandardError === error if type.empty?
      return false unless frame.binding&.eval("defined?(#{type})")

      found = frame.binding.eval(type)
      Module === found && found === error
    rescue StandardError, ScriptError
      false
    end
  end
end
