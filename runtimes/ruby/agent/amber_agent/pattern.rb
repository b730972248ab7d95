# frozen_string_literal: true

module AmberAgent
  # Which requests a mark is for: a method, a path with `*`, the value of a header. What is not given may be anything.
  class RequestPattern
    attr_reader :verb, :path

    # `wanted`: method, path, header {name, value}
    def initialize(wanted)
      @verb, @path = wanted.values_at('method', 'path').map { |given| given.to_s.empty? ? '*' : given.to_s }
      @verb = @verb.upcase
      parts = @path.split('*', -1).map { |part| Regexp.escape(part) }
      @pattern = /\A#{parts.join('.*')}\z/m
      @name, @value = wanted['header']&.values_at('name', 'value')
    end

    # Whether `request` (a Served::Request, or nil) is one of those meant.
    def matches?(request)
      return false if request.nil? || !['*', request.verb, request.verb.upcase].include?(@verb)

      # A path without a question mark is for every query.
      target = @path.include?('?') ? request.target : request.target.split('?', 2).first.to_s
      @pattern.match?(target) && (@name.nil? || request.header.call(@name) == @value)
    end
  end
end
