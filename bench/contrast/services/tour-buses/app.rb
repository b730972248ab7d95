require_relative 'fleet'
require_relative 'price'

# Buses from the pier: how many, and who sits where.
def handle(path, body)
  return { error: 'not found' } unless path == '/buses'

  people = body['people'].to_i
  return { error: 'for whom?' } unless people.positive?

  fleet = Fleet.new(body['size'])
  fleet.seat('guide') if body['guide']
  people.times { |number| fleet.seat("p#{number + 1}") }
  { buses: fleet.count, last: fleet.last, price: Price.of(fleet.count) }
end
