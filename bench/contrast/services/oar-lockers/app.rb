require_relative 'lockers'
require_relative 'tags'

# Lockers by the slip: what lies in which.
def handle(path, body)
  return { error: 'not found' } unless path == '/lockers'

  lockers = Lockers.new
  body['give'].each_with_index do |(name, things), index|
    return { error: 'all are taken' } if index >= Lockers::SIZE

    lockers.put(index, name, things)
  end
  answer = { used: lockers.used, tags: Tags.for(lockers) }
  answer[:list] = lockers.list if body['list']
  answer
end
