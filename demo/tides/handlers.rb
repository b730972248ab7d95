# frozen_string_literal: true

require 'date'
require 'json'
require 'uri'
require_relative 'sailings'

# The requests that the tides service answers: an application for any server that speaks Rack.
module Handlers
  ISLANDS = Tables::WATERS.keys.freeze

  module_function

  def call(env)
    status, body = answer(env['REQUEST_METHOD'], env['PATH_INFO'], env['QUERY_STRING'])
    [status, { 'Content-Type' => 'application/json' }, [JSON.generate(body)]]
  rescue StandardError => error
    warn("tides: #{error.class}: #{error.message}")
    [500, { 'Content-Type' => 'application/json' }, ['{"error":"something went wrong"}']]
  end

  def answer(method, path, query)
    return [200, { service: 'tides', ready: true }] if path == '/health'
    return [404, { error: "there is nothing at #{path}" }] unless path == '/sailings'
    return [405, { error: 'sailings are asked for with GET' }] unless method == 'GET'

    [200, get_sailings(URI.decode_www_form(query).to_h)]
  rescue BadRequest => error
    [400, { error: error.message }]
  end

  def get_sailings(wanted)
    from, to = wanted.values_at('from', 'to')
    raise BadRequest, "from and to must be two of #{ISLANDS.join(', ')}" if from == to || !([from, to] - ISLANDS).empty?

    day = read_day(wanted['on'])
    sailings = Sailings.allowed(from, to, day)
    { from: from, to: to, on: day.to_s, sailings: sailings.map(&:to_h) }
  end

  def read_day(text)
    day = Date.iso8601(text || '2026-05-01')
    raise BadRequest, 'the tide table is for 1 to 14 May 2026' unless day.year == 2026 && day.month == 5 && day.day <= 14

    day
  rescue Date::Error
    raise BadRequest, "#{text.inspect} is not a day: write 2026-05-01"
  end
end
