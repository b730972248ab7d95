# Berths on the night boat: who sleeps where.
require_relative 'plan'
require_relative 'party'

def handle(_path, body)
  party = Party.new(body['people'] || 1, body['together'] == true, body['quiet'] == true)
  taken = body['taken'] || []
  berths = find_berths(party, taken)
  return { 'found' => false, 'why' => 'nothing is free' } if berths.empty?

  price = berths.sum { |berth| price_of(berth, party) }
  { 'found' => true, 'berths' => berths.map { |berth| berth[:name] }, 'price' => price.round(2),
    'cabins' => berths.map { |berth| berth[:cabin] }.uniq.size }
end

def find_berths(party, taken)
  free = Plan.berths.reject { |berth| taken.include?(berth[:name]) }
  free = free.select { |berth| berth[:quiet] } if party.quiet
  return free.first(party.people) unless party.together

  group_in(free, party)
end

def group_in(free, party)
  cabins = free.group_by { |berth| berth[:cabin] }
  cabins.each_value do |berths|
    room = berths.size
    next if room <= party.people

    return berths.first(party.people)
  end
  []
end

def price_of(berth, party)
  price = berth[:low] ? 32.0 : 26.0
  price -= 4 if party.people > 2
  price += 5 if berth[:quiet]
  price
end
