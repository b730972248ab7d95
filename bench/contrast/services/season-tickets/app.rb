# frozen_string_literal: true

# Season tickets: for which months and routes they are good, and what they cost.
require_relative 'coverage'
require_relative 'tariff'

def handle(_path, body)
  months = body['months'].map(&:to_i)
  routes = body['routes']
  unless months.all? { |month| (1..12).cover?(month) }
    return { 'ok' => false, 'why' => 'no such month' }
  end
  covered = coverage_of(months, routes)
  price = price_of(covered)
  {
    'ok' => true,
    'name' => body['name'],
    'covered' => described(covered),
    'price' => price,
    'card' => card_number(body['name'], price)
  }
end

def described(covered)
  covered.map do |route, months|
    from = months.min
    to = months.max
    text = from == to ? MONTHS[from] : "#{MONTHS[from]} to #{MONTHS[to]}"
    "#{route}: #{text}"
  end
end

def card_number(name, price)
  sum = name.each_byte.sum
  format('%<sum>04d-%<price>03d', sum: sum % 10_000, price: price.to_i % 1000)
end
