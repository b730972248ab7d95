# frozen_string_literal: true

require 'ripper'

module AmberAgent
  # The interpreter's warnings about what we compile are not for the program's stderr.
  module Quiet
    class << self
      def here
        before = $VERBOSE
        $VERBOSE = nil if before
        yield
      ensure
        $VERBOSE = before if before
      end

      # The instructions of a text. @raise [SyntaxError]
      def compile(text, path)
        here { RubyVM::InstructionSequence.compile(text, path, path, 1) }
      end

      # The same of what stands in the file of another sequence. @raise [SyntaxError]
      def compile_file(text, sequence)
        here { RubyVM::InstructionSequence.compile(text, sequence.path, sequence.absolute_path, 1) }
      end

      # The tokens of a text: [kind, word] each.
      def tokens(text)
        here { Ripper.lex(text) }.map { |token| [token[1], token[2]] }
      end

      # The syntax tree of a text. @raise [SyntaxError]
      def tree(text)
        here { RubyVM::AbstractSyntaxTree.parse(text) }
      end
    end
  end
end
