PRICES = {
  'meal' => 12,
  'blanket' => 3,
  cabin: 40,
}.freeze

def price_of(name)
  found = PRICES[name]
  found || 0
end
