require_relative 'limits'
require_relative 'lanes'

def handle(_path, body)
  weight = body['weight']
  length = body['length']
  lane = lane_for(length)
  return { 'accepted' => false, 'lane' => nil } if refused?(weight, length)

  { 'accepted' => true, 'lane' => lane, 'price' => price_of(weight, length) }
end

def price_of(weight, length)
  base = length * 10
  weight > 3000 ? base * 2 : base
end
