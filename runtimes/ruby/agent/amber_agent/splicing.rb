# frozen_string_literal: true

require_relative 'exchange'
require_relative 'instructions'
require_relative 'quiet'

module AmberAgent
  # Code with marks in it: the text of a file is compiled anew with each mark's expression before its line, and what comes
  # of one method or block is compared with what runs, instruction by instruction. Only where it is the same but for what
  # was put in does it stand in for the code that runs (see Exchange).
  class Splicing
    # A sequence that is marked: `target` is live, `made` stands in for it; `inner` says which sequence within `made` is
    # which of those within the code as it was loaded.
    Pair = Struct.new(:target, :made, :inner)

    # Raised where what was compiled is not what runs; `line`: of the mark that is at fault, or nil.
    class Different < StandardError
      attr_reader :line

      def initialize(line = nil)
        super()
        @line = line
      end
    end

    # How often a file is compiled again without the lines that were at fault.
    ROUNDS = 20
    # Live versions of one block that are kept up with.
    MOST_TARGETS = 8
    # Words that mean the same in the code itself; with others an expression could leave it, or belongs to a frame.
    WORDS = %w[nil true false and or not self do end defined?].freeze
    REFUSED = %i[on_comment on_nl on_ignored_nl on_heredoc_beg on_embdoc_beg on_semicolon on_gvar on_backref on_regexp_beg on_backtick].freeze
    FRAME_WORDS = %w[binding eval local_variables __method__ __callee__ block_given? caller caller_locations lambda proc].freeze
    # What an expression may be made of that runs no code of the program, but for operators and missing constants that it sees to.
    SIMPLE = %i[on_ident on_const on_ivar on_int on_float on_CHAR on_op on_sp on_lparen on_rparen on_symbeg on_kw on_tstring_beg on_tstring_content on_tstring_end].freeze
    # Methods that such an operator may be, or call: an expression there could come round to itself.
    IMPLICIT = /(?:\A|\s)(?:[^\w\s<(]+|\[\]=?|method_missing|respond_to\w*\??|const_missing|coerce|hash|eql\?|to_\w+|inspect)\z/
    # What reads the last match of its method, which an expression in that method could have set.
    LAST_MATCH = /\bgetspecial\b|\blast_match\b|\$~/
    # A line that goes on with what stands before it.
    GOES_ON = /\A\s*(?:elsif|else|when|in|rescue|ensure|end|then)\b|\A\s*(?:[.)\]}]|&&|\|\|)/
    # Where a SyntaxError says that it is.
    AT = /:(\d+): /

    # Whether a mark can stand in the code itself.
    def self.takes?(mark)
      return false if mark.kind == 'follow' || (mark.kind == 'log' && !mark.rule.empty?)
      return false if mark.kind == 'break' && mark.condition.empty? && mark.rule.empty? && !mark.picks_requests?

      [mark.condition, *mark.values].all? do |text|
        Quiet.tokens(text).none? do |kind, word|
          REFUSED.include?(kind) || (kind == :on_kw && !WORDS.include?(word)) || (kind == :on_ident && FRAME_WORDS.include?(word))
        end
      end
    end

    # @param lines the Lines of the code as it was loaded
    def initialize(text, lines)
      @text = text.lines
      @lines = lines
    end

    # Puts marks into methods and blocks none of which stands in another.
    # @param groups by sequence: its marks by line, [name, mark] each
    # The block gives the sequences that run as one of these.
    # @return [group, marks by line, array of Pair] for each that could be made
    def made(groups, &live)
      done = []
      left = groups.reject { |group, _here| LAST_MATCH.match?(Exchange.own(group).disasm) }
                   .transform_values { |here| here.reject { |line, _| GOES_ON.match?(@text[line - 1] || '.') } }
      ROUNDS.times do
        left.reject! { |_group, here| here.empty? }
        break if left.empty?

        left = round(left, done, &live)
      end
      done
    end

    private

    # One try with all that are left; what is left then.
    def round(groups, done)
      spliced = with_marks(groups)
      files = []
      rest = {}
      groups.each do |group, here|
        pairs = yield(group).first(MOST_TARGETS + 1).each_with_index.map do |target, at|
          raise Different if at == MOST_TARGETS

          pair(files[at] ||= by_place(spliced, group), group, target, here)
        end
        done << [group, here, pairs]
      rescue Different => error
        rest[group] = here.reject { |line, _| line == error.line } if error.line
      end
      rest
    rescue SyntaxError => error
      line = error.message[AT, 1].to_i
      groups.any? { |_group, here| here.key?(line) } ? groups.transform_values { |here| here.reject { |other, _| other == line } } : {}
    end

    def with_marks(groups)
      lines = @text.dup
      groups.each do |group, here|
        names = @lines.names_in(group).map(&:to_s)
        here.each do |line, (name, mark)|
          indent = lines[line - 1][/\A[ \t]*/]
          lines[line - 1] = "#{indent}#{snippet(name, mark, simple?(mark, group, names))}; #{lines[line - 1][indent.size..]}"
        end
      end
      lines.join
    end

    # What stands before a line: a statement that gives nothing and raises nothing. While an expression runs code of the
    # program, marks in that are not passed.
    def snippet(name, mark, is_simple)
      hooks = '::AmberAgent::Spliced'
      log = "[#{mark.values.map { |value| "(#{value})" }.join(', ')}]" if mark.kind == 'log'
      test = "(#{mark.condition})" unless mark.condition.empty?
      expression = [test, log].compact.join(' && ')
      wanted = "#{hooks}.wanted_#{name} && " if mark.picks_requests?
      return "#{wanted}#{hooks}.passed_#{name}" if expression.empty?

      failed = "rescue ::StandardError, ::ScriptError, ::SystemStackError; #{hooks}.failed_#{name}(::Kernel.binding)"
      value = "(begin; #{expression}; #{failed}; #{"ensure; #{hooks}.leave; " unless is_simple}end)"
      entered = "#{hooks}.enter && " unless is_simple
      told = log ? "#{hooks}.passed_#{name}(#{value})" : "#{value} && #{hooks}.passed_#{name}"
      "#{wanted}#{entered}#{told}"
    end

    def simple?(mark, group, names)
      return false if IMPLICIT.match?(group.label)

      [mark.condition, *mark.values].all? do |text|
        Quiet.tokens(text).all? { |kind, word| SIMPLE.include?(kind) && (kind != :on_ident || names.include?(word)) }
      end
    end

    # The sequences of a file that is compiled anew, by label and first line.
    def by_place(spliced, group)
      Exchange.inner(Quiet.compile_file(spliced, group)).group_by { |one| Instructions.place(one) }
    end

    def pair(file, group, target, marks)
      own = Instructions.new(target)
      made = Instructions.new(counterpart(file, group))
      added = own.added_in(made, marks.transform_values { |name, _mark| :"passed_#{name}" }) { |line| raise Different.new(line) }
      raise Different unless own.same_variables?(made)

      check_names(made, added, marks, group)
      inner = own.inner_in(made) or raise Different
      own.number(made, added)
      Pair.new(target, made.sequence, inner)
    end

    # Of blocks that begin on one line the one with the same beginning and end.
    def counterpart(file, group)
      found = file[Instructions.place(group)] || []
      found = found.select { |one| Instructions.extent(one) == Instructions.extent(group) } if found.size > 1
      found.size == 1 ? found.first : raise(Different)
    end

    # What was put in takes the name of a variable for a method where that is only set further down.
    def check_names(made, added, marks, group)
      names = made.names_called_like_variables(added) & @lines.names_in(group)
      return if names.empty?

      raise Different.new(marks.find { |_line, (_name, mark)| [mark.condition, *mark.values].any? { |text| names.any? { |name| text.include?(name.to_s) } } }&.first)
    end
  end
end
