require_relative 'rows'
require_relative 'people'

# Members from the list of last year.
def handle(path, body)
  return { error: 'not found' } unless path == '/import'

  people = Rows.read(body['rows'])
  cards = people.map { |person| People.card(person, greet: body['greet']) }
  { count: cards.size, cards: cards, seats: people.sum { |person| person[:seats] } }
end
