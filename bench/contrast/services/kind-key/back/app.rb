# Lanes on the quay, by what is to be put into them.
require_relative 'lanes'

def handle(_path, body)
  length = Lanes.length_of(body['kind'], body['length'])
  trailer = body['trailer'] || 0
  total = length + trailer
  lane = Lanes.lane_for(total)
  price = 20 + (total * 3).round
  price += 10 if body['kind'] == 'truck'
  { 'lane' => lane, 'price' => price }
end
