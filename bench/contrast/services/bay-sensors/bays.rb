# Bays, and from which wind on nobody goes out.
module Bays
  ALL = [
    { name: 'east', limit: 10 },
    { name: 'west', limit: 14 }
  ].freeze

  def self.find(name)
    ALL.find { |bay| bay[:name] == name }
  end
end
