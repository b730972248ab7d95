LANES = [[5, 'A'], [7, 'B'], [12, 'C']].freeze

def lane_for(length)
  found = LANES.find { |most, _name| length <= most }
  found ? found.last : 'none'
end
