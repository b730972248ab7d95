# frozen_string_literal: true

require_relative 'asking'
require_relative 'quiet'
require_relative 'spliced'

module AmberAgent
  # Expressions and assignments in the scope of a frame.
  module Evaluate
    FILE = '(expression)'
    # The name of a local variable, in any script.
    LOCAL = /\A(?![[:upper:]])[[:alpha:]_][[:word:]]*\z/

    class << self
      # The value of `text` in a frame's binding. Raises what it raises.
      def evaluate(binding, text)
        Quiet.here { binding.eval(text, FILE, 1) }
      end

      # Store the value of the expression `text` in `target` (a variable, attribute or element) and return it.
      def assign(binding, target, text)
        name = target.strip
        is_local = LOCAL.match?(name)
        raise NameError, "there is no variable '#{name}' here to assign to" if is_local && !binding.local_variable_defined?(name)

        value = evaluate(binding, Asking.written(text, false))
        return binding.local_variable_set(name, value) if is_local

        setter = evaluate(binding, "->(amber_value) { #{name} = amber_value\n }")
        setter.call(value)
        value
      end

      # What is wrong with the grammar of an expression, or '' when nothing is.
      def trouble(text)
        return 'not an expression of Ruby: it is empty' if text.strip.empty?

        Quiet.compile("(#{text}\n)", FILE)
        assignment(text)
      rescue SyntaxError => error
        syntax_text(error)
      end

      # The first sentence of a SyntaxError, without the place in our own text.
      def syntax_text(error)
        lines = Values.utf8(error.message).lines.map(&:chomp).grep(/\S/)
        first = (lines.find { |line| line.match?(/syntax error|unexpected|expected/) } || lines.first || '')
        "not an expression of Ruby: #{first.sub(/\A.*?:\d+: /, '').sub('syntax error, ', '').sub(/\A[>|^ ~\d]*/, '')}"
      end

      private

      # `total = 5` where `total == 5` was meant would change the program, silently.
      def assignment(text)
        _program, statements = Quiet.here { Ripper.sexp(text) }
        kind = statements&.first&.first
        %i[assign opassign massign].include?(kind) ? 'an assignment; == compares' : ''
      end
    end
  end

  # An expression that is evaluated often, at the same place.
  #
  # It is compiled once, where it is first evaluated, as a function of the local variables that it names: the
  # constants it sees are those of the place. Some things belong to a frame itself; expressions with one of them
  # are evaluated anew each time.
  class Expression
    OF_A_FRAME = %w[yield super return __method__ __callee__ binding block_given? local_variables eval proc lambda].freeze

    # `anew`: it is not always at the same place, so nothing can be kept.
    def initialize(text, anew: false)
      @text = text
      @code = nil
      tokens = Quiet.tokens(text)
      @words = tokens.filter_map { |kind, word| word if kind == :on_ident }.uniq
      @anew = anew || tokens.any? { |kind, word| kind == :on_backref || OF_A_FRAME.include?(word) || %w[$~ $_].include?(word) }
      @free = tokens.none? { |kind, word| %i[on_ivar on_cvar].include?(kind) || word == 'self' } ? called(tokens) : nil
    end

    # What it gives at the event. Raises what the expression raises. Marks that it passes are not passed for it.
    def value(event)
      is_outermost = Spliced.enter
      computed(event)
    ensure
      Spliced.leave if is_outermost
    end

    private

    def computed(event)
      code = @code
      return first_value(event) if code.nil?

      @needs_self ? event.self.instance_exec(event, &code) : code.call(event)
    end

    # The words that may be calls of the place's own object: those with nothing to be called on.
    def called(tokens)
      tokens = tokens.reject { |kind, _word| kind == :on_sp }
      tokens.each_with_index.filter_map do |(kind, word), index|
        before = index.zero? ? nil : tokens[index - 1][1]
        next if ['.', '&.', '::'].include?(before)

        word if kind == :on_ident || (kind == :on_const && tokens[index + 1]&.last == '(')
      end
    end

    def first_value(event)
      binding = event.binding
      # Without the methods of every object there is nothing to run the code with.
      return Evaluate.evaluate(binding, @text) if @anew || !(Object === event.self)

      names = @words.select { |word| Evaluate::LOCAL.match?(word) && binding.local_variable_defined?(word) }
      @needs_self = @free.nil? || !(@free - names).empty?
      @code = Evaluate.evaluate(binding, written(names))
      computed(event)
    end

    # Its variables are the block's own: those of the frame that it is compiled in stay as they are.
    def written(names)
      own = ['amber_binding', *names].join(', ')
      read = names.map { |name| "#{name} = amber_binding.local_variable_get(:#{name})" }
      binding = names.empty? ? '' : 'amber_binding = amber_event.binding; '
      "proc { |amber_event; #{own}| #{binding}#{read.join('; ')}; (#{@text}\n) }"
    end
  end
end
