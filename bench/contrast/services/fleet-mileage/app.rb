require_relative 'log_book'
require_relative 'service'

# How far the boats go, and when they are due for the yard.
def handle(path, body)
  return { error: 'not found' } unless path == '/mileage'

  log = LogBook.new(body['boat'], body['miles'], body['days'])
  answer = { boat: log.boat, average: log.average, due_in: Service.due_in(log) }
  answer[:consumption] = log.consumption(body['fuel']) if body['fuel']
  answer
end
