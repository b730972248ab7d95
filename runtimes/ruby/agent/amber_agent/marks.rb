# frozen_string_literal: true

require_relative 'evaluate'
require_relative 'faults'
require_relative 'hits'
require_relative 'pattern'
require_relative 'spliced'

module AmberAgent
  # Which of the passes count: the 5th (`5`), `every 5`, `from 5`, or `5..9`.
  #
  # The forms `== 5`, `% 5` and `>= 5`, which other DAP clients send, mean the same.
  class HitRule
    FORM = /\A\s*(?:(?:==?\s*)?(\d+)|every\s+(\d+)|%\s*(\d+)|from\s+(\d+)|>=\s*(\d+)|(\d+)\s*\.\.\s*(\d+))\s*\z/

    # @raise [ArgumentError]
    def initialize(text)
      match = FORM.match(text) or raise ArgumentError, "a hit rule is a number, `every N`, `from N` or `N..M`, not '#{text}'"
      one, every, modulo, start, least, low, high = match.captures.map(&:to_i)
      @every = [every, modulo].max
      @low = [one, start, least, low].max
      @high = [one, high].find(&:positive?) || Float::INFINITY
      return unless @every.zero? && (@low < 1 || @high < @low)

      raise ArgumentError, "a hit rule counts from 1 upwards, not '#{text}'"
    end

    # Whether the pass with this number (from 1) counts.
    def takes?(number)
      @every.positive? ? (number % @every).zero? : number.between?(@low, @high)
    end
  end

  # One mark in one place of one file. Its id is never used again after a change.
  class Mark
    @ids = 0

    def self.next_id
      @ids += 1
    end

    attr_reader :id, :path, :asked_line, :kind, :values, :veiled, :message, :limits, :hits, :errors, :condition, :rule,
                :first_error
    attr_accessor :line, :bound, :note, :reason, :dropped
    # Of one that follows: what is known of the code at its line.
    attr_accessor :standing
    # Whether it stands in the program's own code.
    attr_accessor :spliced
    # Whether the client knows that it is bound.
    attr_accessor :announced
    # Whether it is set: an event that is under way still reaches it when it is gone.
    attr_writer :live

    def initialize(session, path, asked_line, wanted, number = Mark.next_id)
      @session = session
      @id = number
      @path = path
      @asked_line = @line = asked_line
      @kind = wanted.kind
      @wanted = [wanted.condition, wanted.values]
      @values = wanted.values.map { |value| Asking.written(value, true) }
      @veiled = wanted.values.map { |value| Veil.current.hides_expression?(value) }
      @veils = @veiled.any?
      @message = wanted.message
      @limits = Limits.new(wanted.limits)
      @only = wanted.only
      @requests = @only && RequestPattern.new(@only)
      @condition = Asking.written(wanted.condition, false)
      @rule = wanted.rule
      @takes = @rule.empty? ? nil : HitRule.new(@rule)
      compile
      @passes = @hits = @errors = @dropped = @dropped_told = 0
      @first_error = nil
      @live = true
      @bound = @announced = @spliced = false
      @note = @reason = ''
    end

    # Of a method by name: its first and its last line.
    attr_accessor :extent

    WORD = /(?<![\w.@$:])[[:alpha:]_]\w*/

    # The names of variables in its expressions, and perhaps other words in them.
    def words
      @words ||= [@condition, *@values].flat_map { |text| text.scan(WORD) }.uniq
    end

    # The counts of marks that are one to whoever has set them.
    def self.counts_of(marks)
      { 'hits' => marks.sum(&:hits), 'errors' => marks.sum(&:errors), 'firstError' => marks.filter_map(&:first_error).first }
    end

    # It goes on counting where another one has ended.
    def take_over(other)
      @passes, @hits, @errors, @first_error = other.state
    end

    # A thread stands before the marked line. Returns whether it is to stop there.
    def reached(event)
      return false unless @live && for_request? && !Spliced.inside?

      values = @test ? computed(@test, event) : true
      values ? held(values, event) : false
    end

    # The same, where the condition held: `values` is what came of it, and of a logpoint its values.
    def held(values, event)
      return false unless @live && !Spliced.inside?

      if @takes
        return false unless @takes.takes?(@passes += 1)

        values = computed(@told, event) if @told
      end
      @hits += 1
      @session.hits.tell(self, values) if @is_log && values
      @session.followed.pass_line(self, event) if @is_follow
      @is_break
    end

    # Whether what is served here, if anything, is of the requests that the mark is for.
    def for_request?
      @requests.nil? || @requests.matches?(@session.served.current)
    end

    # Whether it is for some requests only.
    def picks_requests?
      !@requests.nil?
    end

    # The condition, or an expression of a logpoint, raised `error` at the event, or something was raised in its
    # thread meanwhile: that must go on to the program. What an expression raises by itself it raises again.
    def raised(error, event, expression = @test)
      raise error unless Faults.ours?(error) || raised_again(expression, event).instance_of?(error.class)

      failed(error) if @live
      nil
    end

    # Whether every pass is a hit and nothing else is done.
    def only_counts?
      @kind == 'count' && @takes.nil? && @text.nil? && @requests.nil?
    end

    # Whether every pass at which its condition holds tells its values, and nothing else is done.
    def only_tells?
      @is_log && @takes.nil? && @requests.nil?
    end

    # A pass of a mark that only tells, with its values.
    def tell(values)
      return unless @live && !Spliced.inside?

      @hits += 1
      @session.hits.tell(self, values)
    end

    # Whether it tells what a line has changed; and whether it does at every pass.
    def follows?
      @is_follow
    end

    def follows_all?
      @is_follow && @takes.nil? && @text.nil? && @requests.nil?
    end

    # A pass of a mark that only counts.
    def count
      @hits += 1 if @live && !Spliced.inside?
    end

    # What is evaluated at each pass, as text and as an expression, or nil.
    attr_reader :text, :test

    # Whether any of its values is hidden.
    def veils?
      @veils
    end

    # How many hits were left out since this was last asked.
    def dropped_since
      count = @dropped
      since = count - @dropped_told
      @dropped_told = count
      since
    end

    # Whether this mark already is what is asked for, so that its counts can be kept.
    def same_as?(path, wanted)
      [@path, @asked_line, @wanted, @rule, @kind, @message, @only] ==
        [path, wanted.line, [wanted.condition, wanted.values], wanted.rule, wanted.kind, wanted.message, wanted.only]
    end

    # The DAP Breakpoint.
    def describe
      body = { 'id' => @id, 'verified' => @bound }
      # A mark at requests has no line of its own.
      body.update('line' => @line, 'source' => { 'path' => @path }) if @line.positive?
      text = @bound ? @note : @reason
      body['message'] = text unless text.empty?
      body['reason'] = 'pending' unless @bound
      body['amber'] = { 'route' => route, 'note' => @note.empty? ? nil : @note }.merge(counts)
      body['amber']['extent'] = @extent if @extent
      body
    end

    def counts
      Mark.counts_of([self])
    end

    def state
      [@passes, @hits, @errors, @first_error]
    end

    def route
      return nil unless @bound

      @spliced ? 'spliced' : 'engine'
    end

    private

    # One expression does all: the condition, and where no hit rule comes between, the values of a logpoint.
    def compile
      @is_log = @kind == 'log'
      @is_break = @kind == 'break'
      @is_follow = @kind == 'follow'
      told = "[#{@values.map { |value| "(#{value}\n)" }.join(', ')}]"
      test = @is_log && !@takes ? [@condition, told].reject(&:empty?).map { |part| "(#{part}\n)" }.join(' && ') : @condition
      @text = test.empty? ? nil : test
      # A mark at requests is passed in one place and another.
      anew = !@line.positive?
      @test = @text && Expression.new(@text, anew: anew)
      @told = @is_log && @takes ? Expression.new(told, anew: anew) : nil
    end

    # The value of an expression at the event; nil where it raised.
    def computed(expression, event)
      expression.value(event)
    rescue StandardError, ScriptError, SystemStackError => error
      raised(error, event, expression)
    end

    def raised_again(expression, event)
      Thread.handle_interrupt(Exception => :never) do
        expression.value(event)
        nil
      rescue StandardError, ScriptError, SystemStackError => error
        error
      end
    end

    # An expression raised: count it, tell the first time, and do not stop.
    def failed(error)
      @errors += 1
      if @first_error.nil?
        @first_error = Values.reason(error)
        @session.mark_changed(self)
      end
      # The line was passed, and this is why it says nothing.
      @session.hits.tell_error(self, error) if @is_log
    end
  end
end
