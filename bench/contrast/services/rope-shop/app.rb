# frozen_string_literal: true

require_relative 'rope'
require_relative 'counter'

# Rope by the metre.
def handle(path, body)
  return { error: 'no rope' } unless path == '/rope'
  return { error: 'how long?' } unless body['length'].to_i.positive?

  rope = Rope.new(body['thickness'], body['length'])
  counter = Counter.new(body['colour'])
  {
    rope: rope.to_s,
    weight: rope.weight,
    holds: rope.holds,
    price: counter.price(rope)
  }
end
