require_relative 'sorting'
require_relative 'stamps'

# Letters that go along with the ferry.
def handle(path, body)
  return { error: 'not found' } unless path == '/letters'

  name = body['to'].to_s.strip
  return { error: 'for whom?' } if name.empty?

  box = Sorting.new(name, body['street'])
  stamp = Stamps.for(box.weight, express: body['express'])
  { box: box.number, label: box.label, stamp: stamp }
end
