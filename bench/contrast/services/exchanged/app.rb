require_relative 'route'

def handle(_path, body)
  from = body['from']
  to = body['to']
  route = Route.find(from, to)
  tide = body['back'] ? Route.tide(from, to) : Route.tide(to, from)
  arrival = route[:minutes] + tide
  { 'arrival' => arrival, 'tide' => tide }
end
