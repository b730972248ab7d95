# Berths by length of boats.
module Berths
  ALL = [
    { name: 'inner', most: 6, each: 20 },
    { name: 'middle', most: 11, each: 35 },
    { name: 'outer', most: 40, each: 60 }
  ].freeze

  def self.for(length)
    ALL.find { |berth| length <= berth[:most] } || ALL.last
  end
end
