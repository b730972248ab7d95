# frozen_string_literal: true

require 'forwardable'
require_relative 'marks'
require_relative 'pattern'

module AmberAgent
  # A breakpoint that the client asks for, and the mark that stands for it.
  class Wanted
    attr_reader :condition, :rule, :message, :kind, :values, :limits, :only
    attr_accessor :line, :trouble, :mark

    def initialize(item, line)
      @line = line
      @condition = (item['condition'] || '').strip
      @rule = (item['hitCondition'] || '').strip
      ours = item['amber'] || {}
      @message = item['logMessage'] || ''
      @kind = ours['kind'] || (@message.empty? ? 'break' : 'log')
      @values = ours['values'] ? ours['values'].map { |value| value.to_s.strip } : Message.expressions(@message)
      @limits = ours['limits'] || {}
      # The requests that it is for, as they were written; nil: for everything that is run.
      @only = ours['only']
      @mark = nil
      @trouble = check
    end

    # The mark that stands for it: one that is there already, or a new one.
    def take(session, same, path = nil)
      @mark = same || Mark.new(session, path, @line, self)
    end

    def describe
      @mark ? @mark.describe : { 'verified' => false, 'message' => @trouble, 'reason' => 'failed' }
    end

    private

    def check
      unless @condition.empty?
        trouble = Evaluate.trouble(@condition)
        return "the condition is #{trouble}" unless trouble.empty?
      end
      @values.each do |value|
        trouble = Evaluate.trouble(value)
        return "{#{value}} is #{trouble}" unless trouble.empty?
      end
      HitRule.new(@rule) unless @rule.empty?
      @line.is_a?(Integer) ? '' : 'a breakpoint needs a line'
    rescue ArgumentError => error
      error.message
    end
  end

  # The first line of the project's code that serves a request like this one.
  class WantedRequest < Wanted
    # Where such marks stand among those of files.
    PATH = '<requests>'

    def initialize(item)
      super(item, 0)
      @requests = RequestPattern.new(item)
    end

    # What stands where other marks have the path of their file.
    def place
      "#{@requests.verb} #{@requests.path}"
    end

    # Whether the mark is for `request` (a Served::Request).
    def matches?(request)
      @requests.matches?(request)
    end
  end

  # Where the project's code sends a request like this one.
  class WantedSend < Wanted
    PATH = '<sends>'
    STATUS = /\bsent\s*\.\s*status\b/

    attr_reader :place

    def initialize(item)
      @verb = (item['method'] || '*').upcase
      @address = Regexp.new(item['matches'].to_s, Regexp::MULTILINE)
      @place = "#{@verb} #{item['url']}"
      super(item, 0)
      # A part alone is that of what is sent.
      @values = @values.map { |value| Asking::SentRequest::PARTS.include?(value) ? "sent.#{value}" : value }
    end

    # Whether it is looked at when the answer is there.
    def asks_answer?
      @asks_answer = [condition, *values].any?(STATUS) if @asks_answer.nil?
      @asks_answer
    end

    def matches?(sending)
      ['*', sending.verb].include?(@verb) && @address.match?(sending.url)
    end
  end

  # A function breakpoint: a mark in every method of that name.
  class WantedFunction < Wanted
    attr_reader :name, :number, :places

    def initialize(item)
      @name = item['name'] || ''
      # By which it is known before any method of that name is there.
      @number = Mark.next_id
      @places = []
      super(item, 0)
    end

    # These are its places in files now; the block says which of those before are no more. Counts go on.
    def set(found)
      before = @places.select { |place| yield place }
      @places -= before
      found.each_with_index { |(path, line, extent), at| @places << FunctionPlace.new(self, path, line, extent, before[at]&.mark) }
    end

    # A mark of its own that is there already gives it its number.
    def known_as(number)
      @number = number
    end

    def usable?
      @trouble.empty?
    end

    def marks
      @places.filter_map(&:mark)
    end

    def describe
      return super unless @trouble.empty?
      return waiting if marks.empty?

      body = (marks.find(&:bound) || marks.first).describe
      body['amber'].merge!(Mark.counts_of(marks))
      body['message'] = "#{marks.size} methods have this name" if marks.size > 1 && !body.key?('message')
      body
    end

    private

    def waiting
      { 'id' => @number, 'verified' => false, 'reason' => 'pending', 'message' => 'no method of this name is loaded yet',
        'amber' => { 'route' => nil, 'note' => nil }.merge(Mark.counts_of([])) }
    end
  end

  # One of the methods of a name; what is asked for there is what was asked for by that name.
  class FunctionPlace
    extend Forwardable
    def_delegators :@wanted, :condition, :rule, :message, :kind, :values, :limits, :only, :trouble

    attr_reader :path, :line
    attr_accessor :mark

    # @param before the mark whose counts go on in this place, or nil
    def initialize(wanted, path, line, extent, before)
      @wanted = wanted
      @path = path
      @line = line
      @extent = extent
      @before = before
      @mark = nil
    end

    # The mark here: one that is there already, unless the others of this name have another number, or a new one.
    def take(session, same)
      others = @wanted.marks.map(&:id).uniq - [same&.id]
      if same && others.empty?
        @wanted.known_as(same.id)
        @mark = same
      else
        @mark = Mark.new(session, @path, @line, self, @wanted.number)
        @mark.take_over(@before) if @before
      end
      @mark.extent = @extent
      @mark
    end
  end
end
