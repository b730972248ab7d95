# frozen_string_literal: true

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

  # A function breakpoint: the same, once the method has been found.
  class WantedFunction < Wanted
    attr_reader :name
    attr_accessor :path, :note, :extent

    def initialize(item)
      @name = item['name'] || ''
      @path = nil
      @note = ''
      super(item, 0)
    end

    def describe
      body = super
      body['amber']['extent'] = @extent if @extent && body.key?('amber')
      body['message'] = @note if !@note.empty? && !body.key?('message')
      body
    end
  end
end
