# frozen_string_literal: true

require_relative 'quiet'

module AmberAgent
  # The block of a TracePoint that serves one mark alone, written for its expression: what reads only variables and
  # calls methods on them stands in the block itself, and costs little more than to read the variables.
  #
  # Such an expression means the same wherever it stands. One with a constant, a call of the place's own object or a
  # word that belongs to the frame does not, and is compiled in its place.
  module Hook
    SIMPLE = %i[
      on_ident on_ivar on_int on_float on_rational on_imaginary on_CHAR on_op on_sp on_period on_lparen on_rparen
      on_lbracket on_rbracket on_lbrace on_rbrace on_comma on_tstring_beg on_tstring_content on_tstring_end on_symbeg
      on_label on_nl on_ignored_nl on_embexpr_beg on_embexpr_end on_kw on_regexp_beg on_regexp_end
    ].freeze
    WORDS = %w[nil true false and or not self].freeze

    class << self
      # A block for `mark` where code has the variables `locals` (nil: not known).
      # `held`: called with the event and the values when the condition holds.
      def block(mark, locals, held)
        return mark.only_counts? ? proc { mark.count } : proc { |event| held.call(event, true) } if mark.text.nil?

        source = locals && written(mark.text, locals)
        return compiled(mark, held) if source.nil?

        Quiet.here { eval(source, TOPLEVEL_BINDING.dup, __FILE__, 1) }.call(mark, held)
      rescue SyntaxError
        compiled(mark, held)
      end

      private

      # For an expression that needs its own scope: it is compiled where it stands, at the first pass.
      def compiled(mark, held)
        expression = mark.test
        proc do |event|
          begin
            values = expression.value(event)
          rescue StandardError, ScriptError, SystemStackError => error
            mark.raised(error, event)
            next
          end
          held.call(event, values) if values
        end
      end

      def written(text, locals)
        tokens = Quiet.tokens(text)
        return nil unless tokens.all? { |kind, word| SIMPLE.include?(kind) && (kind != :on_kw || WORDS.include?(word)) }

        names = own_names(tokens)
        return nil unless names && (names - locals.map(&:to_s)).empty?

        body = tokens.map { |kind, word| plain(kind, word) }
        source(names, body.join)
      end

      def plain(kind, word)
        return "amber_self.instance_variable_get(:#{word})" if kind == :on_ivar

        kind == :on_kw && word == 'self' ? 'amber_self' : word
      end

      # The variables that are named; nil where a name may be a parameter of a block.
      def own_names(tokens)
        return nil if tokens.any? { |kind, word| kind == :on_op && word == '|' }

        significant = tokens.reject { |kind, _word| kind == :on_sp }
        significant.each_with_index.filter_map do |(kind, word), index|
          before = index.zero? ? [nil, nil] : significant[index - 1]
          word if kind == :on_ident && !%w[. &.].include?(before[1]) && before[0] != :on_symbeg
        end.uniq
      end

      def source(names, body)
        read = names.map { |name| "#{name} = amber_binding.local_variable_get(:#{name})" }
        binding = names.empty? ? '' : 'amber_binding = amber_event.binding'
        own = body.include?('amber_self') ? 'amber_self = amber_event.self' : ''
        <<~RUBY
          ->(amber_mark, amber_held) do
            proc do |amber_event|
              begin
                #{binding}
                #{own}
                #{read.join("\n")}
                amber_values = (#{body}
                )
              rescue StandardError, ScriptError, SystemStackError => amber_error
                amber_mark.raised(amber_error, amber_event)
                next
              end
              amber_held.call(amber_event, amber_values) if amber_values
            end
          end
        RUBY
      end
    end
  end
end
